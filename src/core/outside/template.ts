import { fail } from '../problems';
import type { Scalar } from '../values/types';

const place = /\{([a-z][a-z0-9_]*)\}/g;

/** The parameters that a template names, in order, each once. */
export function placesIn(template: string): string[] {
  return [...new Set([...template.matchAll(place)].map(([, name = '']) => name))];
}

/**
 * An address below a base (RFC 3986): every value is percent-encoded whole, so that it stays in the
 * place in which it stands; a part of the query whose value is absent is left out.
 */
export function addressFrom(base: string, template: string, values: Values): string {
  const [path = '', query = ''] = template.split(/\?(.*)/s);
  const encoded = (text: string) =>
    text.replace(place, (_, name: string) => encodedValue(values[name] ?? null));
  const parts = query
    .split('&')
    .filter((part) => part !== '')
    .filter((part) => placesIn(part).every((name) => (values[name] ?? null) !== null));
  const below = encoded(path).replace(/^\/+/, '');
  const address = `${base.replace(/\/+$/, '')}${below === '' ? '' : `/${below}`}`;
  refuseClimbing(below);
  return parts.length === 0 ? address : `${address}?${parts.map(encoded).join('&')}`;
}

/** A statement with marks in the places of its parameters, and what is bound to them in order. */
export function statementFrom(template: string, values: Values): { sql: string; bound: Scalar[] } {
  const bound: Scalar[] = [];
  // Marks of the template itself would shift what is bound.
  const sql = template.replaceAll('?', '\\?').replace(place, (_, name: string) => {
    bound.push(values[name] ?? null);
    return '?';
  });
  return { sql, bound };
}

type Values = Readonly<Record<string, Scalar>>;

function encodedValue(value: Scalar): string {
  return encodeURIComponent(value === null ? '' : String(value));
}

/**
 * Refuses a path that climbs out of its place: a segment of dots is one however it is written (WHATWG URL,
 * "double-dot URL path segment"), so that nothing can be encoded there.
 */
function refuseClimbing(path: string): void {
  const climbs = path.split(/[/\\]/).some((part) => /^(?:\.|%2e){1,2}$/i.test(part));
  if (climbs) fail('parameter_climbs', {}, 422);
}
