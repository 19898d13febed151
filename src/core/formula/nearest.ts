import { distance } from 'fastest-levenshtein';

/** The known word that is most like a mistyped one; `null` where none is like it. */
export function nearest(word: string, known: readonly string[]): string | null {
  let found: string | null = null;
  let least = Math.max(1, Math.floor(word.length / 2.5)) + 1;
  for (const candidate of known) {
    const far = distance(word.toLowerCase(), candidate.toLowerCase());
    if (far >= least) continue;
    found = candidate;
    least = far;
  }
  return found;
}
