import { agoWords } from '$lib/core/words/say';

/** How long ago a moment was, in a few words. */
export function ago(at: string | number): string {
  return agoWords(typeof at === 'string' ? Date.parse(at) : at, Date.now());
}
