import { say, spoken } from '../words/say';
import type { Tone, TotalKind } from './view';

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
