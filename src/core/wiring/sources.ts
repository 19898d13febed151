import type { WiredField, WiredScope } from './form';

/** The field that a narrowing of `scope` names: of its own, or with `parent.` of the form. */
export function sourceField(
  scopes: ReadonlyMap<string, WiredScope>,
  scope: string,
  name: string,
): WiredField | undefined {
  if (!name.startsWith('parent.')) return scopes.get(scope)?.fields.get(name);
  return scopes.get('')?.fields.get(name.slice('parent.'.length));
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
  const root = scopes.get('');
  if (scope.key !== '' && first === 'parent') return root ? readField(scopes, root, rest) : null;
  const grid = scope.key === '' ? scopes.get(first) : undefined;
  const [key = '', ...further] = rest;
  const inRow = grid?.fields.get(key);
  return inRow ? { wired: inRow, rest: further } : null;
}
