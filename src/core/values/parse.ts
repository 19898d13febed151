import { durationOf, readDuration, secondsOf } from './duration';
import { problem, type Problem } from '../problems';
import { z } from 'zod';
import { longestCode } from './code';
import { fileName, keptFileSchema } from './files';
import { Temporal } from 'temporal-polyfill';
import { dayAfter, isDate, isTime, readDate, type DateOrder } from './dates';
import { fullYear, plainSigns, plainWords, readShape } from './locale-reading';
import { isoReading, type Reading } from './reading';
import {
  longestLongText,
  mostMembers,
  type KeptRow,
  type RowColumn,
  type Scalar,
  type Value,
  type ValueType,
} from './types';

/** A parsed value, or why it is none. */
export type Parsed = { value: Value } | { problem: Problem };

/** How a file writes numbers and dates, as the person who brings it in can say. */
export interface FileReading {
  decimal: '.' | ',';
  dates: DateOrder;
}

/** The reading of a file: of point and comma, the one that is not before the fraction may group digits. */
export function readingOf({ decimal, dates }: FileReading): Reading {
  return { decimal, dates, groups: decimal === '.' ? ',' : '.' };
}

/** Whether a text is an address of e-mail. */
export function isMailAddress(text: string): boolean {
  return text.length <= 254 && emailPattern.test(text);
}

const emailPattern = /^[^\s@<>()",;:]+@[^\s@<>()",;:]+\.[^\s@<>()",;:.]+$/;
const phonePattern = /^\+?[0-9][0-9 ()/.-]{1,38}[0-9]$/;
const yes = new Set(['yes', 'y', 'true', '1']);
const no = new Set(['no', 'n', 'false', '0']);

/**
 * Reads what a person typed or a file holds as a value of `type`. Blank text is absent (`null`).
 * A reference is read as a record id, several as ids with commas between them, rows as JSON.
 */
export function parseText(
  type: ValueType,
  text: string,
  label: string,
  reading: Reading = isoReading,
): Parsed {
  const given = text.trim();
  if (given === '') return { value: null };
  switch (type.kind) {
    case 'text':
      return checkText(type, given, label);
    case 'code':
      return checkLength(given, longestCode, label);
    case 'long_text':
      return checkLength(text, longestLongText, label);
    case 'whole':
      return parseWhole(plainNumber(given, reading), given);
    case 'decimal':
      return parseDecimal(plainNumber(given, reading), type.precision, type.scale, given);
    case 'yes_no': {
      const word = given.toLowerCase();
      if (yes.has(word)) return { value: true };
      if (no.has(word)) return { value: false };
      return { problem: problem('not_yes_no', { given }) };
    }
    case 'date': {
      const date = readWrittenDate(given, reading);
      return date ? { value: date } : { problem: problem('not_date', { given }) };
    }
    case 'time':
      return parseTime(given, reading);
    case 'date_time':
      return parseDateTime(given, reading);
    case 'duration': {
      const seconds = readDuration(plainSigns(given), reading.decimal);
      if (seconds !== null) return { value: durationOf(seconds) };
      return { problem: problem('not_duration', { given }) };
    }
    case 'option': {
      const option = optionNamed(type, given);
      return option ? { value: option.value } : { problem: notAnOption(type, given, label) };
    }
    case 'reference': {
      const id = parseWhole(given, given);
      if ('value' in id && typeof id.value === 'number' && id.value > 0) return id;
      return { problem: problem('not_reference', { given, label }) };
    }
    case 'references': {
      const ids = given.split(',').map((part) => Number(part.trim()));
      return checkReferences(ids, given, label);
    }
    case 'rows':
      return checkRows(type.columns, parsedJson(given), given, label);
    case 'files':
      return checkFiles(parsedJson(given), label);
  }
}

/** Checks that a value which came from outside is a canonical value of `type`. */
export function checkValue(type: ValueType, value: unknown, label: string): Parsed {
  if (value === null || value === undefined || value === '') return { value: null };
  const given = shown(value);
  switch (type.kind) {
    case 'text':
      if (typeof value !== 'string') return { problem: problem('not_text', { label }) };
      return checkText(type, value, label);
    case 'code':
      if (typeof value !== 'string') return { problem: problem('not_text', { label }) };
      return checkLength(value, longestCode, label);
    case 'long_text':
      if (typeof value !== 'string') return { problem: problem('not_text', { label }) };
      return checkLength(value, longestLongText, label);
    case 'whole':
      if (typeof value === 'number' && Number.isInteger(value)) return wholeInRange(value, given);
      return { problem: problem('not_whole', { given }) };
    case 'decimal':
      if (typeof value !== 'string') return { problem: problem('not_decimal', { given }) };
      return parseDecimal(value, type.precision, type.scale, given);
    case 'yes_no':
      return typeof value === 'boolean' ? { value } : { problem: problem('not_yes_no', { given }) };
    case 'date':
      if (typeof value === 'string' && isDate(value)) return { value };
      return { problem: problem('not_date', { given }) };
    case 'time':
      if (typeof value === 'string' && isTime(value)) return { value };
      return { problem: problem('not_time', { given }) };
    case 'date_time':
      if (typeof value === 'string' && isCanonicalDateTime(value)) return { value };
      return { problem: problem('not_date_time', { given }) };
    case 'duration': {
      // Written in whatever parts, it is kept in one form.
      const seconds = typeof value === 'string' ? secondsOf(value) : null;
      if (seconds !== null) return { value: durationOf(seconds) };
      return { problem: problem('not_duration', { given }) };
    }
    case 'option':
      if (typeof value === 'string' && type.options.some((o) => o.value === value)) {
        return { value };
      }
      return { problem: notAnOption(type, given, label) };
    case 'reference':
      if (isId(value)) return { value };
      return { problem: problem('not_reference', { given, label }) };
    case 'references':
      return checkReferences(value, given, label);
    case 'rows':
      return checkRows(type.columns, value, given, label);
    case 'files':
      return checkFiles(value, label);
  }
}

function isId(value: unknown): value is number {
  return typeof value === 'number' && Number.isSafeInteger(value) && value > 0;
}

/** The ids of several records, each once, in order; none at all is absent. */
function checkReferences(value: unknown, given: string, label: string): Parsed {
  if (!Array.isArray(value) || !value.every(isId)) {
    return { problem: problem('not_reference', { given, label }) };
  }
  const ids = [...new Set(value)].sort((a, b) => a - b);
  if (ids.length > mostMembers) {
    return { problem: problem('too_many_members', { label, limit: mostMembers }) };
  }
  return { value: ids.length === 0 ? null : ids };
}

/** The files of a value, each once. Whether the column takes those that are new in it is judged where they are kept. */
function checkFiles(value: unknown, label: string): Parsed {
  const read = z.array(keptFileSchema).safeParse(value);
  if (!read.success) return { problem: problem('not_files', { label }) };
  const named = read.data.map((file) => ({ ...file, name: fileName(file.name) }));
  const files = [...new Map(named.map((file) => [file.file, file])).values()];
  return { value: files.length === 0 ? null : files };
}

/** Rows of checked values, blank ones left out; the first thing wrong with one is told with its row. */
function checkRows(
  columns: readonly RowColumn[],
  value: unknown,
  given: string,
  label: string,
): Parsed {
  if (!Array.isArray(value)) return { problem: problem('not_rows', { given, label }) };
  if (value.length > mostMembers) {
    return { problem: problem('too_many_members', { label, limit: mostMembers }) };
  }
  const rows: KeptRow[] = [];
  for (const [i, row] of value.entries()) {
    const checked = checkRow(columns, row, label);
    if ('problem' in checked) {
      const { message, hint } = checked.problem;
      const told = problem('bad_row', { label, row: i + 1 });
      return { problem: { ...told, message: `${told.message} ${message}`, hint } };
    }
    if (Object.values(checked.row).some((cell) => cell !== null)) rows.push(checked.row);
  }
  return { value: rows.length === 0 ? null : rows };
}

function checkRow(
  columns: readonly RowColumn[],
  given: unknown,
  label: string,
): { row: KeptRow } | { problem: Problem } {
  if (typeof given !== 'object' || given === null || Array.isArray(given)) {
    return { problem: problem('not_rows', { given: shown(given), label }) };
  }
  const cells = given as Readonly<Record<string, unknown>>;
  const unknown = Object.keys(cells).find((key) => !columns.some((column) => column.key === key));
  if (unknown !== undefined) {
    return { problem: problem('unknown_column', { table: label, column: unknown }) };
  }
  const blank = Object.values(cells).every((cell) => (cell ?? '') === '');
  const row: Record<string, Scalar> = {};
  for (const column of columns) {
    const checked = checkValue(column.type, cells[column.key], column.label);
    if ('problem' in checked) return checked;
    if (checked.value === null && column.required && !blank) {
      return { problem: problem('required', { label: column.label }) };
    }
    row[column.key] = checked.value as Scalar;
  }
  return { row };
}

function parsedJson(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}

function checkText(
  type: Extract<ValueType, { kind: 'text' }>,
  given: string,
  label: string,
): Parsed {
  if (type.format === 'email' && !isMailAddress(given)) {
    return { problem: problem('not_email', { given }) };
  }
  if (type.format === 'url' && !isWebAddress(given)) {
    return { problem: problem('not_url', { given }) };
  }
  if (type.format === 'phone' && !phonePattern.test(given)) {
    return { problem: problem('not_phone', { given }) };
  }
  return checkLength(given, type.length, label);
}

function checkLength(text: string, limit: number, label: string): Parsed {
  // Half of a pair of code units is no character, and no database takes it.
  if (!text.isWellFormed()) return { problem: problem('broken_text', { label }) };
  const length = text.length <= limit ? text.length : [...text].length;
  if (length > limit) return { problem: problem('too_long', { label, length, limit }) };
  return { value: text };
}

function isWebAddress(text: string): boolean {
  try {
    return ['http:', 'https:'].includes(new URL(text).protocol);
  } catch {
    return false;
  }
}

function parseWhole(text: string, given: string): Parsed {
  if (!/^[+-]?\d{1,20}$/.test(text)) return { problem: problem('not_whole', { given }) };
  return wholeInRange(Number(text), given);
}

function wholeInRange(value: number, given: string): Parsed {
  if (!Number.isSafeInteger(value)) return { problem: problem('whole_too_large', { given }) };
  return { value: value === 0 ? 0 : value };
}

/**
 * Brings a written number into the form `-1250.50`; empty where it is not written as the reading has it. A
 * sign is never taken for another: `1.5` is no number where a comma stands before the fraction.
 */
export function plainNumber(given: string, { decimal, groups, byTwo }: Reading): string {
  if (/^-?\d+$/.test(given)) return given;
  const text = plainSigns(given).trim();
  const [, sign = '', rest = ''] = /^([+-]?)(.*)$/s.exec(text) ?? [];
  const [whole = '', fraction, ...more] = rest.split(decimal);
  if (more.length > 0 || (fraction !== undefined && !/^\d+$/.test(fraction))) return '';
  const digits = withoutGroups(whole.trim(), groups, byTwo === true);
  if (digits === null) return '';
  return `${sign === '-' ? '-' : ''}${digits}${fraction === undefined ? '' : `.${fraction}`}`;
}

/** The digits of a whole number whose groups are all of the right size, with one sign; `null` otherwise. */
function withoutGroups(whole: string, groups: string, byTwo: boolean): string | null {
  if (/^\d*$/.test(whole)) return whole;
  const sign = [...groups].find((each) => whole.includes(each));
  if (sign === undefined) return null;
  const parts = whole.split(sign);
  const [first = '', ...others] = parts;
  const last = others.pop() ?? '';
  const size = byTwo ? 2 : 3;
  const right = others.every((part) => part.length === size) && last.length === 3;
  if (!right || first.length < 1 || first.length > size) return null;
  return parts.every((part) => /^\d+$/.test(part)) ? parts.join('') : null;
}

function parseDecimal(text: string, precision: number, scale: number, given: string): Parsed {
  const written = readDecimal(text);
  if (!written) return { problem: problem('not_decimal', { given }) };
  const { negative, whole, fraction } = written;
  if (fraction.length > scale) return { problem: problem('too_many_places', { given, scale }) };
  const digits = precision - scale;
  if (whole.length > digits && whole !== '0') {
    return { problem: problem('too_many_digits', { given, digits }) };
  }
  const places = scale === 0 ? '' : `.${fraction.padEnd(scale, '0')}`;
  const zero = whole === '0' && fraction === '';
  return { value: `${negative && !zero ? '-' : ''}${whole}${places}` };
}

/** The digits of a number written plainly: without leading zeros before, and trailing ones after the point. */
export function readDecimal(
  text: string,
): { negative: boolean; whole: string; fraction: string } | null {
  const match = /^([+-]?)(\d{0,40})(?:\.(\d{1,40}))?$/.exec(text);
  if (!match || (!match[2] && !match[3])) return null;
  return {
    negative: match[1] === '-',
    whole: (match[2] ?? '').replace(/^0+(?=\d)/, '') || '0',
    fraction: (match[3] ?? '').replace(/0+$/, ''),
  };
}

/** A day as the reading has it: ISO always, in numbers, or as its locale writes it in words. */
function readWrittenDate(given: string, reading: Reading): string | null {
  const text = plainSigns(given).trim();
  const plain =
    readDate(text, reading.dates) ?? readDate(withFullYear(text, reading), reading.dates);
  if (plain) return plain;
  for (const shape of reading.shapes ?? []) {
    const read = readShape(shape, text);
    if (read?.time === null && isDate(read.date)) return read.date;
  }
  return reading.today === undefined ? null : readNear(text, reading, reading.today);
}

/** A day written by halves: so many days from today (`+7`), a word for it, or a day of a month without its year. */
function readNear(text: string, reading: Reading, today: string): string | null {
  const days = /^([+-])\s?(\d{1,4})$/.exec(text);
  if (days) return dayAfter(today, Number(`${days[1]}${days[2]}`));
  const near = reading.near?.get(plainWords(text));
  if (near !== undefined) return dayAfter(today, near);
  const [day, month] = dayAndMonth(text, reading) ?? [];
  if (day === undefined || month === undefined) return null;
  const two = (n: number) => String(n).padStart(2, '0');
  const distance = (date: string) => Math.abs(Date.parse(date) - Date.parse(today));
  const year = Number(today.slice(0, 4));
  // The year in which it is nearest.
  const [nearest] = [year - 1, year, year + 1]
    .map((each) => `${String(each).padStart(4, '0')}-${two(month)}-${two(day)}`)
    .filter(isDate)
    .sort((a, b) => distance(a) - distance(b));
  return nearest ?? null;
}

function dayAndMonth(text: string, { dates, shapes = [] }: Reading): [number, number] | null {
  const numbers = /^(\d{1,2})\s?[./-]\s?(\d{1,2})\s?\.?$/.exec(text);
  if (numbers) {
    const [a, b] = [Number(numbers[1]), Number(numbers[2])];
    return dates === 'dmy' ? [a, b] : [b, a];
  }
  const words = /^(\d{1,2})?[.,]?\s*(\p{L}[\p{L}.]*)\s*(\d{1,2})?\.?$/u.exec(plainWords(text));
  const day = words?.[1] ?? words?.[3];
  const name = words?.[2]?.replace(/\.$/, '');
  if (!name || day === undefined || (words?.[1] && words[3])) return null;
  const found = new Set<number>();
  for (const { months } of shapes) {
    for (const [written, month] of months) {
      const plain = written.replace(/\.$/, '');
      if (plain === name) return [Number(day), month];
      if (name.length >= 3 && plain.startsWith(name)) found.add(month);
    }
  }
  const [only] = found;
  return found.size === 1 && only !== undefined ? [Number(day), only] : null;
}

/** A year of two digits, where people write one: `1.3.27`. */
function withFullYear(text: string, { dates, shapes }: Reading): string {
  if (!shapes) return text;
  const match = /^(\d{1,2})\s*([./-])\s*(\d{1,2})\s*\2\s*(\d{1,4})\.?$/.exec(text);
  const [, a = '', sign = '', b = '', c = ''] = match ?? [];
  if (dates === 'ymd') {
    const year = a.length === 2 && c.length <= 2 ? fullYear(a) : null;
    return year === null ? text : [year, b, c].join(sign);
  }
  const year = fullYear(c);
  return year === null ? text : [a, b, year].join(sign);
}

const noon: Readonly<Record<string, number>> = { am: 0, pm: 12 };

/** A time of 24 hours, or of twelve with `AM` or `PM` or what the locale says for them. */
function readTime(given: string, reading: Reading): string | null {
  const text = plainWords(given);
  const match = /^(\d{1,2})(?:\s?[:.]\s?(\d{2})(?:[:.](\d{2})(?:\.\d+)?)?)?\s?(\D*)$/u.exec(text);
  const [, hour = '', minute, second = '00', behind = ''] = match ?? [];
  if (!match || (minute === undefined && behind === '')) return null;
  const of24 = behind === '' ? Number(hour) : hourOf(Number(hour), behind, reading);
  if (of24 === null) return null;
  const time = `${String(of24).padStart(2, '0')}:${minute ?? '00'}:${second}`;
  return isTime(time) ? time : null;
}

function hourOf(hour: number, behind: string, { shapes = [] }: Reading): number | null {
  const after = noon[behind.replace(/[.\s]/g, '')];
  if (after !== undefined) return hour >= 1 && hour <= 12 ? (hour % 12) + after : null;
  for (const { hours } of shapes) {
    const known = hours.get(`${hour} ${behind}`);
    if (known !== undefined) return known;
  }
  return null;
}

function parseTime(given: string, reading: Reading): Parsed {
  const time = readTime(given, reading);
  return time ? { value: time } : { problem: problem('not_time', { given }) };
}

/** A moment: a day with a time, in the zone of the reading where it names none. */
function parseDateTime(given: string, reading: Reading): Parsed {
  const bad = { problem: problem('not_date_time', { given }) };
  const text = plainSigns(given).trim();
  const zoned = /^(.*\d)\s*(Z|[+-]\d{2}:?\d{2})$/i.exec(text);
  const [, local = text, offset] = zoned ?? [];
  const read = readMoment(local, reading);
  if (!read) return bad;
  const zone = offset === undefined ? (reading.zone ?? 'UTC') : zoneOf(offset);
  const at = momentIn(`${read.date}T${read.time}`, zone);
  return at === null ? bad : { value: at };
}

function zoneOf(offset: string): string {
  return offset.toUpperCase() === 'Z' ? 'UTC' : offset.replace(/^(...)(\d\d)$/, '$1:$2');
}

function readMoment(text: string, reading: Reading): { date: string; time: string } | null {
  for (const shape of reading.shapes ?? []) {
    const read = readShape(shape, text);
    if (read?.time && isDate(read.date) && isTime(read.time)) return { ...read, time: read.time };
  }
  const day = readWrittenDate(text, reading);
  if (day) return { date: day, time: '00:00:00' };
  // A day, then a time: at each blank, or at the T of ISO, it may be cut.
  for (const { index, 0: sign } of text.matchAll(/[T\s]\s*|,\s*/g)) {
    const date = readWrittenDate(text.slice(0, index), reading);
    const time = date && readTime(text.slice(index + sign.length), reading);
    if (date && time) return { date, time };
  }
  return null;
}

/** A local moment in UTC; `null` where the clocks leave it out, or show it twice, or the year has five digits. */
function momentIn(local: string, zone: string): string | null {
  try {
    const at = Temporal.PlainDateTime.from(local)
      .toZonedDateTime(zone, { disambiguation: 'reject' })
      .toInstant()
      .toString({ smallestUnit: 'second' });
    return isCanonicalDateTime(at) ? at : null;
  } catch (error) {
    if (error instanceof RangeError) return null;
    throw error;
  }
}

function isCanonicalDateTime(text: string): boolean {
  const match = /^(\d{4}-\d{2}-\d{2})T(\d{2}:\d{2}:\d{2})Z$/.exec(text);
  return match !== null && isDate(match[1] ?? '') && isTime(match[2] ?? '');
}

/** The option that a text names: by its label or value as written, or else as the only one but for case. */
function optionNamed(type: Extract<ValueType, { kind: 'option' }>, given: string) {
  const offered = type.options.filter((o) => !o.retired);
  const exact = offered.find((o) => o.label === given) ?? offered.find((o) => o.value === given);
  if (exact) return exact;
  const word = given.toLowerCase();
  const labelled = offered.filter((o) => o.label.toLowerCase() === word);
  const found =
    labelled.length > 0 ? labelled : offered.filter((o) => o.value.toLowerCase() === word);
  return found.length === 1 ? found[0] : undefined;
}

function notAnOption(
  type: Extract<ValueType, { kind: 'option' }>,
  given: string,
  label: string,
): Problem {
  const offered = type.options.filter((o) => !o.retired).map((o) => o.label);
  const options = [...offered.slice(0, 12), ...(offered.length > 12 ? ['…'] : [])].join(', ');
  return problem('not_option', { given, label, options });
}

function shown(value: unknown): string {
  return typeof value === 'object' ? JSON.stringify(value) : String(value);
}
