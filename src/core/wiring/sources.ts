import { namedPlace, scopeAround } from '../plan/scopes';
import type { WiredField, WiredScope } from './wired';

/** The field that a narrowing of `scope` names: of its own, or with `parent.` of what is around it. */
export function sourceField(
  scopes: ReadonlyMap<string, WiredScope>,
  scope: string,
  name: string,
): WiredField | undefined {
  const place = namedPlace(scopes, scope, name);
  return place?.scope.fields.get(place.key);
}

/** The field at which a path of a formula arrives, and what it reads of the record chosen there. */
export function readField(
  scopes: ReadonlyMap<string, WiredScope>,
  scope: WiredScope,
  read: readonly string[],
): { wired: WiredField; rest: string[] } | null {
  const [first = '', ...rest] = read;
  const own = scope.fields.get(first);
  if (own) return { wired: own, rest };
  if (scope.key !== '' && first === 'parent') {
    const around = scopeAround(scopes, scope);
    return around ? readField(scopes, around, rest) : null;
  }
  const grid = gridOf(scopes, scope, first);
  const [key = '', ...further] = rest;
  const inRow = grid?.fields.get(key);
  return inRow ? { wired: inRow, rest: further } : null;
}

/** The grid whose rows a path runs over; `null` where it runs over none. */
export function gridRead(
  scopes: ReadonlyMap<string, WiredScope>,
  scope: WiredScope,
  path: readonly string[],
): string | null {
  const [first = '', ...rest] = path;
  if (scope.fields.has(first)) return null;
  if (scope.key !== '' && first === 'parent') {
    const around = scopeAround(scopes, scope);
    return around && gridRead(scopes, around, rest);
  }
  return gridOf(scopes, scope, first)?.key ?? null;
}

/** The grid of this key that stands in a scope. */
export function gridOf(
  scopes: ReadonlyMap<string, WiredScope>,
  scope: WiredScope,
  key: string,
): WiredScope | undefined {
  const grid = key === '' ? undefined : scopes.get(key);
  return grid && scopeAround(scopes, grid) === scope ? grid : undefined;
}
