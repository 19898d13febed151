import type { LookedThrough } from '$lib/core/entry/asks';
import type { Problem } from '$lib/core/problems';

/** A page of what can be chosen, and where the next one begins. */
export interface Found<T> {
  choices: readonly T[];
  next?: string | null | undefined;
  /** Where it has stopped on its way, to tell what it has found. */
  looked?: LookedThrough | null | undefined;
}

/** What a search has come to, for the foot of the list. */
export interface Searched<F> {
  found: F | null;
  failure: Problem | null;
  loading: boolean;
  /** How many choices are shown. */
  shown: number;
  typed: string;
  /** Closes the list, and gives what was typed. */
  leave: () => string;
}
