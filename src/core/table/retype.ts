import { problem, type Problem } from '../problems';
import { parseText } from '../values/parse';
import { isoReading, type Reading } from '../values/reading';
import { editText } from '../values/format';
import type { Reader } from '../words/reader';
import { isOtherSide } from './links';
import type { Value, ValueKind, ValueType } from '../values/types';

/** Kinds of columns that can become one another. */
const changeable: ReadonlySet<ValueKind> = new Set([
  ...(['text', 'long_text', 'whole', 'decimal', 'yes_no', 'date', 'time', 'date_time'] as const),
  ...(['duration', 'option', 'reference', 'references', 'code'] as const),
]);

/**
 * Whether a column of one type can become one of another. Codes are numbered from the beginning, or never; the other
 * side of links follows the column that has them.
 */
export function canBecome(from: ValueType, to: ValueType): boolean {
  if (isOtherSide(from) || isOtherSide(to)) return false;
  return changeable.has(from.kind) && changeable.has(to.kind) && to.kind !== 'code';
}

/** The kinds of columns that a column can become, its own among them. */
export function kindsAfter(from: ValueType): ReadonlySet<ValueKind> {
  const others = isOtherSide(from) || !changeable.has(from.kind) ? [] : changeable;
  return new Set([from.kind, ...[...others].filter((kind) => kind !== 'code')]);
}

/**
 * The names that a text may hold of several records, in the ways in which it can be read, the likeliest first: it may
 * be one name with a comma in it, or several.
 */
export function namesIn(text: string): readonly (readonly string[])[] {
  const split = (by: RegExp) =>
    text
      .split(by)
      .map((part) => part.trim())
      .filter((part) => part !== '');
  const ways = [split(/\n/), split(/[;\n]/), split(/[,;\n]/)];
  return ways.filter((way, i) => i === 0 || way.length > (ways[i - 1]?.length ?? 0));
}

/** Lines of several records as one text, from which {@link namesIn} reads them again. */
export function namesText(lines: readonly string[]): string {
  return lines.join('; ');
}

/** Whether every value stays as it is, and only the column that holds it is another one. */
export function keepsText(from: ValueType, to: ValueType): boolean {
  const texts = ['text', 'long_text', 'code'];
  const plain = to.kind === 'long_text' || (to.kind === 'text' && to.format === 'plain');
  return texts.includes(from.kind) && plain;
}

/** How whoever changes a column writes and reads. */
export interface Writing {
  reader: Reader;
  reading: Reading;
}

/** A value as the text from which one of another type is read: an option by its label. */
export function textOf(type: ValueType, value: Value, { reader }: Writing): string {
  if (value === null) return '';
  if (type.kind === 'option')
    return type.options.find((o) => o.value === value)?.label ?? String(value);
  if (['decimal', 'whole', 'date', 'date_time', 'time'].includes(type.kind)) return String(value);
  return type.kind === 'yes_no' || type.kind === 'duration'
    ? editText(type, value, reader)
    : String(value);
}

/**
 * A text as a value of another type: as open formats write it first, then as whoever changes the column does.
 * References are found by the database and not here.
 */
export function retyped(
  to: ValueType,
  text: string,
  label: string,
  { reading }: Writing,
): { value: Value } | { problem: Problem } {
  if (text.trim() === '') return { value: null };
  if (to.kind === 'option') {
    const known = text.trim().toLowerCase();
    const found = to.options.find(
      (o) => o.value.toLowerCase() === known || o.label.toLowerCase() === known,
    );
    return found
      ? { value: found.value }
      : { problem: problem('not_option', { given: text, label }) };
  }
  const iso = parseText(to, text, label, isoReading);
  return 'value' in iso ? iso : parseText(to, text, label, reading);
}
