import { BROWSER } from 'esm-env';
import type { Formulas, ReadFormula } from './syntax';

/**
 * The grammar weighs more than many a form: a page that only fills forms in gets its formulas as trees, and
 * brings the grammar only when somebody writes formulas.
 */
let parse = BROWSER ? null : (await import('./parse')).parseFormula;

/** Formulas read before: a form is examined anew at each change, and nearly all of it is as it was. */
const known = new Map<string, ReadFormula>();
const mostKnown = 2000;

/** Reads a formula. Gives its tree, or the first thing that is wrong with its writing. */
export function readFormula(source: string): ReadFormula {
  const before = known.get(source);
  if (before) return before;
  if (!parse)
    throw new Error(`The grammar is not loaded, and nobody gave the tree of “${source}”.`);
  const found = parse(source);
  if (known.size >= mostKnown) known.clear();
  known.set(source, found);
  return found;
}

/** Brings the grammar to a page where formulas are written. */
export async function loadGrammar(): Promise<void> {
  parse ??= (await import('./parse')).parseFormula;
}

/** Takes over formulas that the server has read. */
export function knowFormulas(read: Formulas): void {
  for (const [source, found] of read) known.set(source, found);
}
