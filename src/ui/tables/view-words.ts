import { say, spoken } from '$lib/core/words/say';
import type { GroupOrder, Tone, TotalKind } from '$lib/core/table/view';

/** The totals as people read them, behind a number. */
export const totalWords: Record<TotalKind, string> = spoken(() => ({
  sum: say('sum'),
  average: say('average'),
  least: say('least'),
  greatest: say('greatest'),
  count: say('filled in'),
}));

export const toneWords: Record<Tone, string> = spoken(() => ({
  good: say('good'),
  watch: say('to watch'),
  bad: say('bad'),
}));

/** The order of groups, behind "in order of". */
export const groupOrderWords: Record<GroupOrder, string> = spoken(() => ({
  value: say('their value'),
  value_down: say('their value, last first'),
  most: say('records, most first'),
  fewest: say('records, fewest first'),
  greatest: say('the total, greatest first'),
  least: say('the total, least first'),
}));
