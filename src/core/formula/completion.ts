import type { Names } from './scope';
import { functions } from './functions/all';
import { kindWords, type Kind } from './kinds';

/** A word that could stand at a place of a formula. */
export interface Completion {
  label: string;
  what: 'name' | 'member' | 'function';
  /** Its kind, or what it does. */
  detail: string;
}

/**
 * The words that could stand before `position`, and from where on they would replace what is written:
 * the members behind a point, otherwise names and functions. They are not filtered by what is typed.
 */
export function completions<H>(
  names: Names<H>,
  source: string,
  position: number,
): { from: number; words: Completion[] } | null {
  const written = /[A-Za-z_][\w.]*$/.exec(source.slice(0, position))?.[0] ?? '';
  const keys = written.split('.');
  const last = keys.pop() ?? '';
  const from = position - last.length;
  if (keys.length > 0) {
    const words = members(names, keys);
    return words.length > 0 ? { from, words } : null;
  }
  // Inside of a text nothing is completed.
  if ((source.slice(0, position).match(/"/g)?.length ?? 0) % 2 === 1) return null;
  const named = names.all().map((label): Completion => {
    const kind = names.find(label)?.kind;
    return { label, what: 'name', detail: kind ? kindWords(kind) : '' };
  });
  const called = Object.entries(functions).map(([label, { does }]): Completion => {
    return { label, what: 'function', detail: does() };
  });
  return { from, words: [...named, ...called] };
}

function members<H>(names: Names<H>, keys: readonly string[]): Completion[] {
  const [first = '', ...rest] = keys;
  const named = names.find(first);
  let [kind, chosen] = [named?.kind ?? null, named?.chosen?.kind ?? null];
  for (const key of rest) {
    const of = inner(kind) ?? inner(chosen);
    [kind, chosen] = [of?.member(key) ?? null, of?.chosenAt?.(key) ?? null];
  }
  const record = inner(kind) ?? inner(chosen);
  if (!record) return [];
  return record.members().map((label) => {
    const member = record.member(label);
    return { label, what: 'member', detail: member ? kindWords(member) : '' };
  });
}

function inner(kind: Kind | null): Extract<Kind, { is: 'record' }> | null {
  if (kind?.is === 'list') return inner(kind.of);
  return kind?.is === 'record' ? kind : null;
}
