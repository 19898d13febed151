import type { LookedThrough } from '$lib/core/entry/asks';
import { countWords } from '$lib/core/words/about';
import { num, say } from '$lib/core/words/say';

/** How far a search has come, in a few words. */
export function lookedWords({ rows, of }: LookedThrough): string {
  if (of === null) return say(`${num(rows)} searched`);
  return say(`${num(rows)} of ${countWords(of)} records searched`);
}
