import type { DateOrder } from './dates';
import type { Reading, WrittenShape } from './reading';

/** The styles in which days and moments are shown, so that each can be typed again. */
const styles: readonly Intl.DateTimeFormatOptions[] = [
  { dateStyle: 'medium' },
  { dateStyle: 'long' },
  { dateStyle: 'short' },
  { dateStyle: 'medium', timeStyle: 'short' },
  { dateStyle: 'short', timeStyle: 'short' },
];

const made = new Map<string, Reading>();

/**
 * How people of a locale write numbers and dates, from `Intl`: the decimal sign, the signs between groups of
 * digits, the order of day, month and year, the names of months. `zone` is where moments are meant.
 */
export function localeReading(locale: string, zone = 'UTC'): Reading {
  const name = `${locale} ${zone}`;
  const known = made.get(name);
  if (known) return known;
  const parts = new Intl.NumberFormat(locale).formatToParts(-1234567.5);
  const groups = parts.filter(({ type }) => type === 'group').map(({ value }) => plainSigns(value));
  const wholes = parts.filter(({ type }) => type === 'integer').map(({ value }) => value);
  const reading: Reading = {
    decimal: plainSigns(parts.find(({ type }) => type === 'decimal')?.value ?? '.'),
    groups: [...new Set(groups)].join(''),
    // As in India: 12,34,567.
    byTwo: plainSigns(wholes[1] ?? '').length === 2,
    dates: orderOf(locale),
    shapes: styles.flatMap((style) => shapeOf(locale, style) ?? []),
    zone,
    near: nearWords(locale),
  };
  made.set(name, reading);
  return reading;
}

/** What people of a locale, and those who write English, call the days around today. */
function nearWords(locale: string): ReadonlyMap<string, number> {
  const words = new Map<string, number>();
  for (const tag of ['en', locale]) {
    const said = new Intl.RelativeTimeFormat(tag, { numeric: 'auto' });
    for (const days of [-2, -1, 0, 1, 2]) words.set(plainWords(said.format(days, 'day')), days);
  }
  return words;
}

function orderOf(locale: string): DateOrder {
  const order = new Intl.DateTimeFormat(locale, { timeZone: 'UTC', calendar: 'gregory' })
    .formatToParts(0)
    .map((part) => part.type.charAt(0))
    .filter((letter) => 'ymd'.includes(letter))
    .join('');
  return (['dmy', 'mdy'] as const).find((known) => known === order) ?? 'ymd';
}

/** Builds what a style looks like in a locale; `null` where it has a part that is none of a date. */
function shapeOf(locale: string, style: Intl.DateTimeFormatOptions): WrittenShape | null {
  const format = new Intl.DateTimeFormat(locale, {
    ...style,
    timeZone: 'UTC',
    calendar: 'gregory',
  });
  const partsAt = (at: number) => format.formatToParts(at);
  const months = new Map<string, number>();
  for (let month = 0; month < 12; month++) {
    const written = partsAt(Date.UTC(2027, month, 20)).find(({ type }) => type === 'month')?.value;
    if (written !== undefined) months.set(plainWords(written), month + 1);
  }
  const hours = new Map<string, number>();
  const periods = new Set<string>();
  for (let hour = 0; hour < 24; hour++) {
    const written = partsAt(Date.UTC(2027, 0, 20, hour, 30));
    const of = (type: string) =>
      plainWords(written.find((part) => part.type === type)?.value ?? '');
    if (of('dayPeriod') !== '') periods.add(of('dayPeriod'));
    hours.set(`${Number(of('hour'))} ${of('dayPeriod')}`, hour);
  }
  const parts: WrittenShape['parts'][number][] = [];
  const found = partsAt(Date.UTC(2027, 9, 20, 14, 30)).map(({ type, value }) => {
    if (type === 'literal') return /^\s*$/.test(value) ? '\\s*' : '[^0-9]*?';
    if (!isPart(type)) return null;
    parts.push(type);
    if (type === 'month') return oneOf([...months.keys()]);
    return type === 'dayPeriod' ? oneOf([...periods]) : '([0-9]{1,4})';
  });
  if (found.includes(null)) return null;
  const pattern = new RegExp(`^[^0-9]{0,3}?${found.join('')}[^0-9]{0,6}$`, 'u');
  return { pattern, parts, months, hours };
}

function isPart(type: string): type is WrittenShape['parts'][number] {
  return ['year', 'month', 'day', 'hour', 'minute', 'second', 'dayPeriod'].includes(type);
}

/** Any of some words, the longest first; numbers may have a zero before them. */
function oneOf(words: readonly string[]): string {
  const sorted = [...words].sort((a, b) => b.length - a.length);
  const escaped = sorted.map((word) =>
    /^[0-9]+$/.test(word) ? `0?${Number(word)}` : word.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'),
  );
  return `(${escaped.join('|')})`;
}

/** A day, and its time where it has one, as a shape reads them; `null` where it does not. */
export function readShape(
  { pattern, parts, months, hours }: WrittenShape,
  text: string,
): { date: string; time: string | null } | null {
  const match = pattern.exec(plainWords(text));
  if (!match) return null;
  const of = (type: WrittenShape['parts'][number]) => match[parts.indexOf(type) + 1] ?? '';
  const year = fullYear(of('year'));
  const month = months.get(of('month')) ?? months.get(String(Number(of('month')))) ?? of('month');
  if (year === null) return null;
  const two = (part: string | number) => String(part).padStart(2, '0');
  const date = `${year}-${two(month)}-${two(of('day'))}`;
  if (!parts.includes('hour')) return { date, time: null };
  const period = parts.includes('dayPeriod') ? of('dayPeriod') : '';
  const hour = hours.get(`${Number(of('hour'))} ${period}`);
  if (hour === undefined) return null;
  const second = parts.includes('second') ? of('second') : '';
  return { date, time: [hour, of('minute'), second].map(two).join(':') };
}

/** A year with four digits; of two, as POSIX has it: 69 to 99 are of the last century, 00 to 68 of this one. */
export function fullYear(written: string): string | null {
  if (written.length === 4) return written;
  if (written.length !== 2) return null;
  return `${Number(written) >= 69 ? '19' : '20'}${written}`;
}

/** Words as they are compared: in small letters, with plain digits, blanks and signs. */
export function plainWords(text: string): string {
  return plainSigns(text).toLowerCase().replace(/\s+/gu, ' ').trim();
}

// eslint-disable-next-line no-control-regex
const isAscii = /^[\x00-\x7f]*$/;

/**
 * Digits of any script as 0 to 9, every blank as a plain one, every minus as `-`, every apostrophe as `'`;
 * marks of writing direction, which nobody sees, are left out.
 */
export function plainSigns(text: string): string {
  // Most of what files and people write has none of them.
  if (isAscii.test(text)) return text;
  return text
    .replace(/[\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069]/gu, '')
    .replace(/[\u00a0\u2000-\u200a\u202f\u205f\u3000]/gu, ' ')
    .replace(/[\u2212\u2010-\u2013\ufe63\uff0d]/gu, '-')
    .replace(/[\u2019\u02bc\uff07]/gu, "'")
    .replace(/\p{Nd}/gu, (digit) => digits().get(digit) ?? digit);
}

let known: Map<string, string> | null = null;

/** The digits of all scripts that the runtime can write numbers in. */
function digits(): Map<string, string> {
  if (known) return known;
  known = new Map();
  for (const numberingSystem of Intl.supportedValuesOf('numberingSystem')) {
    const format = new Intl.NumberFormat('en', { numberingSystem, useGrouping: false });
    for (let value = 0; value < 10; value++) {
      const written = format.format(value);
      if (/^\p{Nd}$/u.test(written)) known.set(written, String(value));
    }
  }
  return known;
}
