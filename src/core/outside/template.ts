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
    text.replace(place, (_, name: string) => encoded1(values[name] ?? null));
  const parts = query
    .split('&')
    .filter((part) => part !== '')
    .filter((part) => placesIn(part).every((name) => (values[name] ?? null) !== null));
  const below = encoded(path).replace(/^\/+/, '');
  const address = `${base.replace(/\/+$/, '')}${below === '' ? '' : `/${below}`}`;
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

function encoded1(value: Scalar): string {
  // A dot segment would climb out of its place.
  const text = value === null ? '' : String(value);
  return /^\.{1,2}$/.test(text) ? text.replaceAll('.', '%2E') : encodeURIComponent(text);
}
