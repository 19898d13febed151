import type { Reader } from '../words/reader';
import { plural, say } from '../words/say';
import { hoursText, secondsOf } from './duration';
import { filesText } from './files';
import { filesIn, idsOf, rowsIn, type Value, type ValueType } from './types';

/** How an absent value is shown. */
export const absent = '–';

/** A value as `reader` reads it; a reference is shown by its id where nothing better is known. */
export function formatValue(type: ValueType, value: Value, reader: Reader): string {
  if (value === null) return absent;
  switch (type.kind) {
    case 'whole':
      return typeof value === 'number' ? formatters(reader).number.format(value) : String(value);
    case 'decimal':
      return formatDecimal(String(value), reader);
    case 'yes_no':
      return value === true ? say('yes') : say('no');
    case 'date':
      return formatDate(String(value), reader);
    case 'time':
      return String(value).replace(/:00$/, '');
    case 'date_time':
      return formatDateTime(String(value), reader);
    case 'duration':
      return durationText(String(value));
    case 'option':
      return type.options.find((o) => o.value === value)?.label ?? String(value);
    case 'reference':
      return `#${value}`;
    case 'references':
      return plural(idsOf(value).length, ['# record', '# records']);
    case 'rows':
      return plural(rowsIn(value).length, ['# row', '# rows']);
    case 'files':
      return filesText(filesIn(value));
    default:
      return String(value);
  }
}

/** A value as it stands in an input, so that it can be typed again: numbers without groups, dates as `reader` writes them. */
export function editText(type: ValueType, value: Value, reader: Reader): string {
  if (value === null) return '';
  const text = String(value);
  switch (type.kind) {
    case 'date':
    case 'date_time':
    case 'time':
    case 'duration':
      return formatValue(type, value, reader);
    case 'decimal':
      if (!/^-?\d+(\.\d+)?$/.test(text)) return text;
      return text.replace('.', formatters(reader).point);
    default:
      return text;
  }
}

function durationText(text: string): string {
  const seconds = secondsOf(text);
  return seconds === null ? text : hoursText(seconds);
}

/** Groups the digits before the point as `reader` does and keeps every decimal place; exact at any size. */
export function formatDecimal(text: string, reader: Reader): string {
  const match = /^(-?)(\d+)(?:\.(\d+))?$/.exec(text);
  if (!match) return text;
  const [, sign = '', whole = '0', fraction] = match;
  const { number, point } = formatters(reader);
  const digits = number.format(BigInt(whole));
  return `${sign}${digits}${fraction ? point + fraction : ''}`;
}

function formatDate(text: string, reader: Reader): string {
  const date = new Date(`${text}T00:00:00Z`);
  if (Number.isNaN(date.getTime())) return text;
  return formatters(reader).date.format(date);
}

function formatDateTime(text: string, reader: Reader): string {
  const date = new Date(text);
  if (Number.isNaN(date.getTime())) return text;
  return formatters(reader).moment.format(date);
}

interface Formatters {
  number: Intl.NumberFormat;
  /** The decimal sign. */
  point: string;
  date: Intl.DateTimeFormat;
  moment: Intl.DateTimeFormat;
}

/** What is stored is of the Gregorian calendar, and is shown so, whatever a locale counts its years from. */
const gregorian = { calendar: 'gregory' } as const;

/** Making a formatter takes a hundred times as long as using it. */
const made = new Map<string, Formatters>();

function formatters({ locale, zone }: Reader): Formatters {
  const name = `${locale} ${zone}`;
  const known = made.get(name);
  if (known) return known;
  const number = new Intl.NumberFormat(locale);
  const parts = number.formatToParts(1234567.5);
  const fresh = {
    number,
    point: parts.find(({ type }) => type === 'decimal')?.value ?? '.',
    date: new Intl.DateTimeFormat(locale, { ...gregorian, dateStyle: 'medium', timeZone: 'UTC' }),
    moment: new Intl.DateTimeFormat(locale, {
      ...gregorian,
      dateStyle: 'medium',
      timeStyle: 'short',
      timeZone: zone,
    }),
  };
  made.set(name, fresh);
  return fresh;
}
