import { z } from 'zod';
import type { DateOrder } from '../values/dates';
import { parseText, plainNumber, readDecimal, readingOf, type FileReading } from '../values/parse';
import { isoReading, type Reading } from '../values/reading';
import { longestText, plainText, valueTypeSchema, type ValueType } from '../values/types';

/** How a file writes numbers and dates; see `FileReading`. */
export const fileReadingSchema = z.strictObject({
  decimal: z.enum(['.', ',']),
  dates: z.enum(['ymd', 'dmy', 'mdy']),
});

/** How many values of a column look like something, and the first that does not. */
const looksSchema = z.object({ count: z.number().int(), against: z.string().nullable() });
export type Looks = z.infer<typeof looksSchema>;

/** What was learnt of one column of a file from all its rows, and the type proposed from it. */
export const columnProfileSchema = z.object({
  name: z.string(),
  proposed: valueTypeSchema,
  reading: fileReadingSchema,
  filled: z.number().int(),
  empty: z.number().int(),
  /** Whether no value stands twice (blank cells not counted). */
  unique: z.boolean(),
  /** The longest text, in characters. */
  longest: z.number().int(),
  /** The first few different values. */
  examples: z.array(z.string()),
  /** All different values, where they are few; otherwise empty. */
  distinct: z.array(z.string()),
  /** How many values look like numbers or days, and the first that does not. */
  numbers: looksSchema,
  days: looksSchema,
  /** How many begin with a zero, where all are digits: they are codes, and no numbers. */
  zeros: z.number().int(),
});
export type ColumnProfile = z.infer<typeof columnProfileSchema>;

/** Fewer than this speak for nothing. */
const mostly = 0.6;

/** Whether most values of a column look like something, and some speak against it. */
export function nearly({ filled }: ColumnProfile, { count, against }: Looks): boolean {
  return against !== null && count >= filled * mostly;
}

/** Whether a column has few values for its rows, as an option list has. */
export function isListLike({ distinct, filled }: ColumnProfile): boolean {
  return distinct.length > 1 && filled >= distinct.length * 3;
}

/** What a column of texts could be as well, as its values say: what most of them look like, or a list of options. */
export function otherTypes(profile: ColumnProfile, type: ValueType): ValueType[] {
  if (type.kind !== 'text' && type.kind !== 'long_text') return [];
  if (nearly(profile, profile.days)) return [{ kind: 'date' }];
  if (nearly(profile, profile.numbers)) {
    return profile.zeros === 0 ? [{ kind: 'decimal', precision: 12, scale: 2 }] : [];
  }
  if (!isListLike(profile)) return [];
  return [{ kind: 'option', options: profile.distinct.map((value) => ({ value, label: value })) }];
}

/** Whether a column holds the same names again and again, so that they could be a table of their own. */
export function couldBeTable(profile: ColumnProfile, different: number): boolean {
  const { proposed, filled, numbers, days } = profile;
  const isName = proposed.kind === 'text' && proposed.format === 'plain';
  const isValue = nearly(profile, numbers) || nearly(profile, days);
  return isName && !isValue && different > 1 && filled >= different * 3;
}

const mostDistinct = 40;
const mostExamples = 3;
/** Roomy enough that the next file fits too. */
const textLengths = [40, 80, 120, longestText];
const canonicalWhole = /^-?(0|[1-9]\d{0,14})$/;
const yesNoWords = new Set(['yes', 'no', 'true', 'false', 'y', 'n']);

/** Readings that a column may be written in; the first that fits every value is proposed. */
const dateOrders: DateOrder[] = ['ymd', 'dmy', 'mdy'];
const decimalSigns: FileReading['decimal'][] = ['.', ','];

/** Gathers what is needed to propose a type, value by value; no row is kept. */
export class ColumnProfiler {
  readonly name: string;
  #filled = 0;
  #empty = 0;
  #longest = 0;
  #unique = true;
  readonly #seen = new Set<string>();
  readonly #examples: string[] = [];
  #distinct: Set<string> | null = new Set();
  readonly #numbers: Looks = { count: 0, against: null };
  readonly #days: Looks = { count: 0, against: null };
  #digits = true;
  #zeros = 0;
  #whole = true;
  #yesNo = true;
  #multiline = false;
  #email = true;
  #url = true;
  #clock = true;
  #period = true;
  readonly #dates = new Set<DateOrder>(dateOrders);
  readonly #times = new Set<DateOrder>(dateOrders);
  readonly #decimals = new Map<FileReading['decimal'], { digits: number; scale: number }>(
    decimalSigns.map((sign) => [sign, { digits: 1, scale: 0 }]),
  );

  constructor(name: string) {
    this.name = name;
  }

  /** Takes the cell of one row. */
  add(cell: string): void {
    const text = cell.trim();
    if (text === '') {
      this.#empty++;
      return;
    }
    this.#filled++;
    this.#longest = Math.max(this.#longest, text.length);
    this.#note(text);
    looks(this.#numbers, numberLike, text);
    looks(this.#days, dayLike, text);
    if (this.#digits && !/^\d+$/.test(text)) this.#digits = false;
    if (text.length > 1 && text.startsWith('0')) this.#zeros++;
    if (this.#whole && !canonicalWhole.test(text)) this.#whole = false;
    if (this.#yesNo && !yesNoWords.has(text.toLowerCase())) this.#yesNo = false;
    if (!this.#multiline && text.includes('\n')) this.#multiline = true;
    if (this.#email && !fits({ ...plainText, format: 'email' } as ValueType, text)) {
      this.#email = false;
    }
    if (this.#url && !fits({ ...plainText, format: 'url' } as ValueType, text)) this.#url = false;
    if (this.#clock && !(clockLike.test(text) && fits({ kind: 'time' }, text))) this.#clock = false;
    if (this.#period && !(text.startsWith('P') && fits({ kind: 'duration' }, text))) {
      this.#period = false;
    }
    this.#measureDecimals(text);
    for (const dates of this.#dates) {
      if (!fits({ kind: 'date' }, text, { ...isoReading, dates })) this.#dates.delete(dates);
    }
    for (const dates of this.#times) {
      if (!/\d:\d/.test(text) || !fits({ kind: 'date_time' }, text, { ...isoReading, dates })) {
        this.#times.delete(dates);
      }
    }
  }

  /** What was learnt. */
  profile(): ColumnProfile {
    const reading: FileReading = {
      decimal: decimalSigns.find((sign) => this.#decimals.has(sign)) ?? '.',
      dates: dateOrders.find((o) => this.#dates.has(o) || this.#times.has(o)) ?? 'ymd',
    };
    return {
      name: this.name,
      proposed: this.#propose(reading),
      reading,
      filled: this.#filled,
      empty: this.#empty,
      unique: this.#unique && this.#filled > 0,
      longest: this.#longest,
      examples: this.#examples,
      distinct: this.#distinct ? [...this.#distinct] : [],
      numbers: { ...this.#numbers },
      days: { ...this.#days },
      zeros: this.#digits ? this.#zeros : 0,
    };
  }

  #propose(reading: FileReading): ValueType {
    if (this.#filled === 0) return plainText;
    if (this.#yesNo) return { kind: 'yes_no' };
    if (this.#whole) return { kind: 'whole' };
    const decimal = this.#decimals.get(reading.decimal);
    if (decimal && decimal.digits + decimal.scale <= 30) {
      const scale = decimal.scale;
      return { kind: 'decimal', precision: Math.max(10, decimal.digits + 2) + scale, scale };
    }
    if (this.#dates.size > 0) return { kind: 'date' };
    if (this.#times.size > 0) return { kind: 'date_time' };
    if (this.#clock) return { kind: 'time' };
    if (this.#period) return { kind: 'duration' };
    if (this.#multiline || this.#longest > longestText) return { kind: 'long_text' };
    const length = textLengths.find((limit) => limit >= this.#longest * 1.5) ?? longestText;
    if (this.#email) return { kind: 'text', format: 'email', length: longestText };
    if (this.#url) return { kind: 'text', format: 'url', length: longestText };
    return { kind: 'text', format: 'plain', length };
  }

  #note(text: string): void {
    if (this.#unique) {
      const known = text.toLowerCase();
      if (this.#seen.has(known)) {
        this.#unique = false;
        this.#seen.clear();
      } else {
        this.#seen.add(known);
      }
    }
    const short = text.length > 60 ? `${text.slice(0, 60)}…` : text;
    if (this.#examples.length < mostExamples && !this.#examples.includes(short)) {
      this.#examples.push(short);
    }
    if (!this.#distinct || this.#distinct.has(text)) return;
    if (this.#distinct.size === mostDistinct || text.length > 100) this.#distinct = null;
    else this.#distinct.add(text);
  }

  #measureDecimals(text: string): void {
    for (const [sign, size] of this.#decimals) {
      if (/^-?0\d/.test(text)) {
        this.#decimals.delete(sign);
        continue;
      }
      const written = readDecimal(plainNumber(text, readingOf({ decimal: sign, dates: 'ymd' })));
      if (!written) {
        this.#decimals.delete(sign);
        continue;
      }
      size.digits = Math.max(size.digits, written.whole.length);
      size.scale = Math.max(size.scale, written.fraction.length, writtenScale(text, sign));
    }
  }
}

const numberLike = /^[-+]?\d[\d.,’' ]*$/;
const clockLike = /^\d{1,2}:\d{2}/;
const dayLike = /^\d{1,4}[-./]\d{1,2}[-./]\d{1,4}$/;

function looks(found: Looks, like: RegExp, text: string): void {
  if (like.test(text)) found.count++;
  else found.against ??= text.slice(0, 60);
}

/** The decimal places as written, so that `12.50` keeps two. */
function writtenScale(text: string, sign: string): number {
  const at = text.lastIndexOf(sign);
  return at === -1 ? 0 : text.length - at - 1;
}

function fits(type: ValueType, text: string, reading: Reading = isoReading): boolean {
  return !('problem' in parseText(type, text, '', reading));
}
