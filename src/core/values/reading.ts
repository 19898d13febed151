import type { DateOrder } from './dates';

/** How written numbers and dates are to be read. */
export interface Reading {
  /** The sign between whole and fraction. */
  decimal: string;
  /** The signs that may stand between groups of digits; none where it is empty. */
  groups: string;
  /** Whether groups before the last one have two digits, as in India. */
  byTwo?: boolean;
  /** The order of day, month and year. */
  dates: DateOrder;
  /** How the locale writes days and moments in words and numbers, years of two digits among them. */
  shapes?: readonly WrittenShape[];
  /** Where moments are meant that say nothing else, as an IANA zone. */
  zone?: string;
  /** The day on which it is read, for days written by halves: `24.12.`, `+7`, "today". */
  today?: string;
  /** Words for days near today, in small letters, by their distance from it in days. */
  near?: ReadonlyMap<string, number>;
}

/** ISO dates and decimal points: what an open format carries. */
export const isoReading: Reading = { decimal: '.', groups: '', dates: 'ymd' };

/** A way in which a locale writes a day, or a day with its time: what to look for, and what each part is. */
export interface WrittenShape {
  pattern: RegExp;
  parts: readonly ('year' | 'month' | 'day' | 'hour' | 'minute' | 'second' | 'dayPeriod')[];
  /** Names of months, as they are written, by their number. */
  months: ReadonlyMap<string, number>;
  /** Hours as they are written, with the part of the day behind them, by the hour of 24. */
  hours: ReadonlyMap<string, number>;
}
