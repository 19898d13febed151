import { Decimal as BaseDecimal } from 'decimal.js';
import { Temporal } from 'temporal-polyfill';
import type { Kind } from './kinds';

/**
 * Numbers of FEEL: exact decimals. DMN asks for 34 digits; ours have 44, so that sums of the widest
 * column (38 digits) stay exact.
 */
export const Decimal = BaseDecimal.clone({
  precision: 44,
  rounding: BaseDecimal.ROUND_HALF_EVEN,
  toExpNeg: -50,
  toExpPos: 50,
  // As IEEE 754 decimal128, which DMN names: what is larger is absent, what is smaller is zero.
  maxE: 6144,
  minE: -6143,
});
export type Decimal = BaseDecimal;

/** A duration in days, hours, minutes and seconds; whole milliseconds. */
export class DaysDuration {
  constructor(readonly milliseconds: number) {}
}

/** Whether a value is a number. */
export function isNumber(value: unknown): value is Decimal {
  return Decimal.isDecimal(value);
}

/** A duration in years and months. */
export class MonthsDuration {
  constructor(readonly months: number) {}
}

/** A range; an end that is `undefined` is none (`> 5`), one that is `null` is not known. */
export class FeelRange {
  constructor(
    readonly low: Feel | undefined,
    readonly high: Feel | undefined,
    readonly withLow: boolean,
    readonly withHigh: boolean,
  ) {}
}

/** What has members: a record of a table, a row, a context. */
export interface FeelRecord {
  member(key: string): Feel;
  members(): string[];
  /** What tells two records apart; `null` for contexts, which are compared member by member. */
  readonly identity: string | null;
  /** What a member has chosen, where the member is a value and no record (`RecordKind.chosenAt`). */
  chosenAt?(key: string): FeelRecord;
}

/** A value while a formula is worked out. Dates with times are in UTC. */
export type Feel =
  | null
  | boolean
  | string
  | BaseDecimal
  | Temporal.PlainDate
  | Temporal.PlainTime
  | Temporal.PlainDateTime
  | DaysDuration
  | MonthsDuration
  | FeelRange
  | FeelRecord
  | readonly Feel[];

/** A context: `{a: 1}`. */
export class Context implements FeelRecord {
  readonly identity = null;
  constructor(readonly entries: ReadonlyMap<string, Feel>) {}
  member(key: string): Feel {
    return this.entries.get(key) ?? null;
  }
  members(): string[] {
    return [...this.entries.keys()];
  }
}

export const isList = (value: Feel): value is readonly Feel[] => Array.isArray(value);

/** Whether a value is a record, a row or a context. */
export function isRecord(value: Feel): value is FeelRecord {
  return typeof value === 'object' && value !== null && 'member' in value;
}

/** Which kind of value it is. */
export function kindOf(value: Feel): Kind['is'] {
  if (value === null) return 'nothing';
  if (typeof value === 'boolean') return 'yes_no';
  if (typeof value === 'string') return 'text';
  if (value instanceof BaseDecimal) return 'number';
  if (isList(value)) return 'list';
  if (value instanceof Temporal.PlainDate) return 'date';
  if (value instanceof Temporal.PlainTime) return 'time';
  if (value instanceof Temporal.PlainDateTime) return 'date_time';
  if (value instanceof DaysDuration) return 'days';
  if (value instanceof MonthsDuration) return 'months';
  return value instanceof FeelRange ? 'range' : 'record';
}

/** Counts what a comparison or a text costs; it throws where that is too much. */
export interface Spends {
  spend: (steps: number) => void;
}

const free: Spends = { spend: () => undefined };

/** Whether two values are the same; `null` where they are of different kinds (DMN 1.5, 10.3.2.13). */
export function same(a: Feel, b: Feel, cost: Spends = free): boolean | null {
  if (a === null || b === null) return a === b;
  if (isList(a) && isList(b)) {
    if (a.length !== b.length) return false;
    cost.spend(a.length);
    return a.every((item, i) => same(item, b[i] ?? null, cost) === true);
  }
  if (isRecord(a) && isRecord(b)) return sameRecord(a, b, cost);
  if (a instanceof FeelRange && b instanceof FeelRange) {
    const equal = (x: Feel | undefined, y: Feel | undefined) =>
      x === undefined || y === undefined ? x === y : same(x, y, cost) === true;
    const ends = equal(a.low, b.low) && equal(a.high, b.high);
    return ends && a.withLow === b.withLow && a.withHigh === b.withHigh;
  }
  if (typeof a === 'boolean' && typeof b === 'boolean') return a === b;
  const order = compare(a, b);
  return order === null ? null : order === 0;
}

/** The order of two values: below, at or above zero; `null` where they cannot be put in order. */
export function compare(a: Feel, b: Feel): number | null {
  if (a instanceof BaseDecimal) return b instanceof BaseDecimal ? a.comparedTo(b) : null;
  if (typeof a === 'string') return typeof b === 'string' ? (a < b ? -1 : a > b ? 1 : 0) : null;
  if (a instanceof Temporal.PlainDate) {
    return b instanceof Temporal.PlainDate ? Temporal.PlainDate.compare(a, b) : null;
  }
  if (a instanceof Temporal.PlainDateTime) {
    return b instanceof Temporal.PlainDateTime ? Temporal.PlainDateTime.compare(a, b) : null;
  }
  if (a instanceof Temporal.PlainTime) {
    return b instanceof Temporal.PlainTime ? Temporal.PlainTime.compare(a, b) : null;
  }
  if (a instanceof DaysDuration) {
    return b instanceof DaysDuration ? a.milliseconds - b.milliseconds : null;
  }
  if (a instanceof MonthsDuration) return b instanceof MonthsDuration ? a.months - b.months : null;
  return null;
}

/** A value as text, as FEEL's `string()` writes it; `null` stays absent. */
export function toText(value: Feel, cost: Spends = free): string | null {
  if (value === null) return null;
  return typeof value === 'string' ? value : written(value, cost);
}

function written(value: Feel, cost: Spends): string {
  cost.spend(1);
  if (value === null) return 'null';
  if (typeof value === 'string') return JSON.stringify(value);
  if (typeof value === 'boolean') return String(value);
  if (value instanceof BaseDecimal) return value.toFixed();
  if (isList(value)) return `[${value.map((item) => written(item, cost)).join(', ')}]`;
  if (value instanceof DaysDuration) return daysText(value);
  if (value instanceof MonthsDuration) return monthsText(value);
  if (value instanceof Temporal.PlainTime) return value.toString();
  if (value instanceof Temporal.PlainDateTime) return `${value.toString()}Z`;
  if (value instanceof Temporal.PlainDate) return value.toString();
  if (value instanceof FeelRange) {
    const [open, close] = [value.withLow ? '[' : '(', value.withHigh ? ']' : ')'];
    const end = (at: Feel | undefined) => (at === undefined ? '' : written(at, cost));
    return `${open}${end(value.low)}..${end(value.high)}${close}`;
  }
  if (value.identity !== null) return value.identity;
  const entries = value.members().map((key) => `${key}: ${written(value.member(key), cost)}`);
  return `{${entries.join(', ')}}`;
}

function sameRecord(a: FeelRecord, b: FeelRecord, cost: Spends): boolean {
  if (a.identity !== null || b.identity !== null) return a.identity === b.identity;
  const keys = a.members();
  if (keys.length !== b.members().length) return false;
  cost.spend(keys.length);
  return keys.every((key) => same(a.member(key), b.member(key), cost) === true);
}

function daysText({ milliseconds }: DaysDuration): string {
  const seconds = Math.trunc(milliseconds / 1000);
  const nanoseconds = Math.round((milliseconds - seconds * 1000) * 1e6);
  const exact = Temporal.Duration.from({ seconds, nanoseconds });
  return exact.round({ largestUnit: 'day' }).toString();
}

function monthsText({ months }: MonthsDuration): string {
  const years = Math.trunc(months / 12);
  return Temporal.Duration.from({ years, months: months % 12 })
    .toString()
    .replace('PT0S', 'P0M');
}

/** Reads a date as ISO 8601 writes it; `null` where there is no such day. */
export function readFeelDate(written: string): Temporal.PlainDate | null {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(written)) return null;
  return attempt(() => Temporal.PlainDate.from(written, { overflow: 'reject' }));
}

/** Reads a time of day; `null` where there is none such. */
export function readFeelTime(written: string): Temporal.PlainTime | null {
  if (!/^\d{2}:\d{2}:\d{2}(\.\d{1,9})?Z?$/.test(written)) return null;
  return attempt(() => Temporal.PlainTime.from(written.replace('Z', ''), { overflow: 'reject' }));
}

/** Reads a date with a time; one with an offset is brought to UTC. */
export function readFeelDateTime(written: string): Temporal.PlainDateTime | null {
  if (/^\d{4}-\d{2}-\d{2}$/.test(written)) return readFeelDate(written)?.toPlainDateTime() ?? null;
  if (!/^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}:\d{2}(\.\d{1,9})?(Z|[+-]\d{2}:\d{2})?$/.test(written)) {
    return null;
  }
  return attempt(() =>
    /(Z|[+-]\d{2}:\d{2})$/.test(written)
      ? Temporal.Instant.from(written).toZonedDateTimeISO('UTC').toPlainDateTime()
      : Temporal.PlainDateTime.from(written, { overflow: 'reject' }),
  );
}

/** Reads a duration of one kind or the other: `P1DT2H`, `P1Y2M`. */
export function readFeelDuration(written: string): DaysDuration | MonthsDuration | null {
  if (/^-?P(\d+Y)?(\d+M)?$/.test(written) && /\d/.test(written)) {
    const read = attempt(() => Temporal.Duration.from(written));
    return read && lastingMonths(read.years * 12 + read.months);
  }
  if (!/^-?P(\d+D)?(T(\d+H)?(\d+M)?(\d+(\.\d+)?S)?)?$/.test(written) || !/\d/.test(written)) {
    return null;
  }
  const read = attempt(() => Temporal.Duration.from(written).total('milliseconds'));
  return read === null ? null : lastingDays(read);
}

/** The longest duration: more years than there are dates, in both directions. */
const longest = { months: 12 * 100_000, milliseconds: 366 * 100_000 * 86_400_000 };

/** A duration of so many months; `null` where it is longer than any two dates are apart. */
export function lastingMonths(months: number): MonthsDuration | null {
  return Math.abs(months) <= longest.months ? new MonthsDuration(months) : null;
}

/** A duration of so many milliseconds; `null` where it is longer than any two dates are apart. */
export function lastingDays(milliseconds: number): DaysDuration | null {
  return Math.abs(milliseconds) <= longest.milliseconds ? new DaysDuration(milliseconds) : null;
}

function attempt<T>(make: () => T): T | null {
  try {
    return make();
  } catch (error) {
    if (error instanceof RangeError) return null;
    throw error;
  }
}
