import { hoursText, secondsOf } from './duration';
import { idsOf, rowsIn, type Value, type ValueType } from './types';

/** How an absent value is shown. */
export const absent = '–';

/** A value as people read it in `locale`; a reference is shown by its id where nothing better is known. */
export function formatValue(type: ValueType, value: Value, locale = 'en'): string {
  if (value === null) return absent;
  switch (type.kind) {
    case 'whole':
      return typeof value === 'number' ? formatters(locale).number.format(value) : String(value);
    case 'decimal':
      return formatDecimal(String(value), locale);
    case 'yes_no':
      return value === true ? 'yes' : 'no';
    case 'date':
      return formatDate(String(value), locale);
    case 'time':
      return String(value).replace(/:00$/, '');
    case 'date_time':
      return formatDateTime(String(value), locale);
    case 'duration':
      return durationText(String(value));
    case 'option':
      return type.options.find((o) => o.value === value)?.label ?? String(value);
    case 'reference':
      return `#${value}`;
    case 'references':
      return counted(idsOf(value).length, 'record');
    case 'rows':
      return counted(rowsIn(value).length, 'row');
    default:
      return String(value);
  }
}

function counted(n: number, what: string): string {
  return `${n} ${what}${n === 1 ? '' : 's'}`;
}

/** A value as it stands in an input: numbers with the decimal sign of `locale`, but without groups. */
export function editText(type: ValueType, value: Value, locale = 'en'): string {
  if (value === null) return '';
  const text = String(value);
  if (type.kind === 'date_time') return localMoment(text);
  if (type.kind === 'duration') return durationText(text);
  if (type.kind !== 'decimal' || !/^-?\d+(\.\d+)?$/.test(text)) return text;
  return text.replace('.', formatters(locale).point);
}

function durationText(text: string): string {
  const seconds = secondsOf(text);
  return seconds === null ? text : hoursText(seconds);
}

/** A moment on the reader's own clock, as it can be typed: `2027-03-01 10:30`. */
function localMoment(text: string): string {
  const at = new Date(text);
  if (Number.isNaN(at.getTime())) return text;
  const two = (part: number) => String(part).padStart(2, '0');
  const day = `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}`;
  const seconds = at.getSeconds() === 0 ? '' : `:${two(at.getSeconds())}`;
  return `${day} ${two(at.getHours())}:${two(at.getMinutes())}${seconds}`;
}

/** Groups the digits before the point by the locale and keeps every decimal place; exact at any size. */
export function formatDecimal(text: string, locale = 'en'): string {
  const match = /^(-?)(\d+)(?:\.(\d+))?$/.exec(text);
  if (!match) return text;
  const [, sign = '', whole = '0', fraction] = match;
  const { number, point } = formatters(locale);
  const digits = number.format(BigInt(whole));
  return `${sign}${digits}${fraction ? point + fraction : ''}`;
}

function formatDate(text: string, locale: string): string {
  const date = new Date(`${text}T00:00:00Z`);
  if (Number.isNaN(date.getTime())) return text;
  return formatters(locale).date.format(date);
}

function formatDateTime(text: string, locale: string): string {
  const date = new Date(text);
  if (Number.isNaN(date.getTime())) return text;
  return formatters(locale).moment.format(date);
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

function formatters(locale: string): Formatters {
  const known = made.get(locale);
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
    }),
  };
  made.set(locale, fresh);
  return fresh;
}
