import type { Tone, TotalKind } from '$lib/core/table/view';

/** The totals as people read them, behind a number. */
export const totalWords: Record<TotalKind, string> = {
  sum: 'sum',
  average: 'average',
  least: 'least',
  greatest: 'greatest',
  count: 'filled in',
};

export const toneWords: Record<Tone, string> = {
  good: 'good',
  watch: 'to watch',
  bad: 'bad',
};
