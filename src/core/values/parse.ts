import { problem, type Problem } from '../problems';
import { longestCode } from './code';
import { isDate, isTime, readDate, type DateOrder } from './dates';
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

/** How written numbers and dates are to be read. */
export interface Reading {
  /** The sign between whole and fraction. */
  decimal: '.' | ',';
  /** The order of day, month and year. */
  dates: DateOrder;
}

/** ISO dates and decimal points: what an open format carries. */
export const isoReading: Reading = { decimal: '.', dates: 'ymd' };

/** How people of a locale write numbers and dates: the decimal sign, the order of day, month and year. */
export function localeReading(locale: string): Reading {
  const parts = new Intl.NumberFormat(locale).formatToParts(1.5);
  const point = parts.find((part) => part.type === 'decimal')?.value;
  const order = new Intl.DateTimeFormat(locale, { timeZone: 'UTC' })
    .formatToParts(0)
    .map((part) => part.type.charAt(0))
    .filter((letter) => 'ymd'.includes(letter))
    .join('');
  const dates = (['dmy', 'mdy'] as const).find((known) => known === order) ?? 'ymd';
  return { decimal: point === ',' ? ',' : '.', dates };
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
      return parseWhole(given);
    case 'decimal':
      return parseDecimal(plainNumber(given, reading), type.precision, type.scale, given);
    case 'yes_no': {
      const word = given.toLowerCase();
      if (yes.has(word)) return { value: true };
      if (no.has(word)) return { value: false };
      return { problem: problem('not_yes_no', { given }) };
    }
    case 'date': {
      const date = readDate(given, reading.dates);
      return date ? { value: date } : { problem: problem('not_date', { given }) };
    }
    case 'time':
      return parseTime(given);
    case 'date_time':
      return parseDateTime(given, reading);
    case 'option': {
      const word = given.toLowerCase();
      const offered = type.options.filter((o) => !o.retired);
      const option =
        offered.find((o) => o.value === given) ??
        offered.find((o) => o.label.toLowerCase() === word || o.value.toLowerCase() === word);
      return option ? { value: option.value } : { problem: notAnOption(type, given, label) };
    }
    case 'reference': {
      const id = parseWhole(given);
      if ('value' in id && typeof id.value === 'number' && id.value > 0) return id;
      return { problem: problem('not_reference', { given, label }) };
    }
    case 'references': {
      const ids = given.split(',').map((part) => Number(part.trim()));
      return checkReferences(ids, given, label);
    }
    case 'rows':
      return checkRows(type.columns, parsedJson(given), given, label);
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
  if (type.format === 'email' && !emailPattern.test(given)) {
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

function parseWhole(given: string): Parsed {
  if (!/^[+-]?\d{1,20}$/.test(given)) return { problem: problem('not_whole', { given }) };
  return wholeInRange(Number(given), given);
}

function wholeInRange(value: number, given: string): Parsed {
  if (!Number.isSafeInteger(value)) return { problem: problem('whole_too_large', { given }) };
  return { value: value === 0 ? 0 : value };
}

/** Brings a written number into the form `-1250.50`; leaves what it cannot read as it is. */
export function plainNumber(given: string, reading: Reading): string {
  const grouped =
    reading.decimal === '.' ? /^[+-]?\d{1,3}(,\d{3})+(\.\d+)?$/ : /^[+-]?\d{1,3}(\.\d{3})+(,\d+)?$/;
  const group = reading.decimal === '.' ? /,/g : /\./g;
  const plain = grouped.test(given) ? given.replace(group, '') : given;
  return reading.decimal === ',' ? plain.replace(/^([+-]?\d+),(\d+)$/, '$1.$2') : plain;
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

function parseTime(given: string): Parsed {
  const match = /^(\d{1,2})[:.](\d{2})(?:[:.](\d{2}))?$/.exec(given);
  const [, hour = '', minute = '', second = '00'] = match ?? [];
  const time = `${hour.padStart(2, '0')}:${minute}:${second}`;
  return isTime(time) ? { value: time } : { problem: problem('not_time', { given }) };
}

function parseDateTime(given: string, reading: Reading): Parsed {
  const bad = { problem: problem('not_date_time', { given }) };
  const match =
    /^(\S+?)(?:[T ]\s*(\d{1,2}:\d{2}(?::\d{2})?)(?:\.\d+)?\s*(Z|[+-]\d{2}:?\d{2})?)?$/.exec(given);
  const date = match?.[1] ? readDate(match[1], reading.dates) : null;
  if (!match || !date) return bad;
  const time = (match[2] ?? '00:00').padStart(5, '0');
  const clock = time.length === 5 ? `${time}:00` : time.padStart(8, '0');
  if (!isTime(clock)) return bad;
  const zone = match[3] && match[3] !== 'Z' ? match[3].replace(/^(...)(\d\d)$/, '$1:$2') : 'Z';
  const at = new Date(`${date}T${clock}${zone}`);
  if (Number.isNaN(at.getTime())) return bad;
  return { value: at.toISOString().replace(/\.\d{3}Z$/, 'Z') };
}

function isCanonicalDateTime(text: string): boolean {
  const match = /^(\d{4}-\d{2}-\d{2})T(\d{2}:\d{2}:\d{2})Z$/.exec(text);
  return match !== null && isDate(match[1] ?? '') && isTime(match[2] ?? '');
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
