import { z } from 'zod';
import { problem, type Problem } from '../problems';
import { longestCode } from '../values/code';
import { keySchema } from '../values/key';
import { isLink, severalIn, valueTypeSchema, type ValueType } from '../values/types';
import { namedViewSchema } from './view';
import type { Queries, Systems } from '../outside/query';
import type { Lists } from './option-list';
import { linkNameTooLong, mirrorsRightly } from './links';

/** One column of a table. */
export const columnSchema = z.strictObject({
  key: keySchema,
  label: z.string().trim().min(1).max(200),
  type: valueTypeSchema,
  required: z.boolean().default(false),
  unique: z.boolean().default(false),
});
export type Column = z.infer<typeof columnSchema>;

/** Whether a column must be given a value: codes give one to themselves. */
export function mustBeGiven(column: Column): boolean {
  return column.required && column.type.kind !== 'code';
}

/** An index that serves choices: word search over text columns, or order and narrowing. */
export const indexSchema = z.strictObject({
  kind: z.enum(['search', 'order']),
  columns: z.array(keySchema).min(1).max(16),
});
export type TableIndex = z.infer<typeof indexSchema>;

/** A table as its designer defines it; `id`, `row_version` and the stamps are always there besides. */
export const tableSchema = z.strictObject({
  key: keySchema,
  title: z.string().trim().min(1).max(200),
  columns: z.array(columnSchema),
  /** The columns by which a record is shown to people. */
  display: z.array(keySchema).max(6),
  indexes: z.array(indexSchema).max(100).default([]),
  /** Ways to look at its records, kept under names. */
  views: z.array(namedViewSchema).max(50).optional(),
});
export type Table = z.infer<typeof tableSchema>;

/**
 * The house: all tables by key, with what else there is beside them. Every part is there, if empty, so that none
 * can be forgotten on the way; see `Sources`.
 */
export class House extends Map<string, Table> {
  readonly lists: Lists;
  readonly queries: Queries;
  readonly systems: Systems;
  /** Where other forms have values typed into them, by those values; see `typedValuesKey`. */
  readonly typed: ReadonlyMap<string, string>;

  constructor(tables: Iterable<readonly [string, Table]>, parts: HouseParts) {
    super(tables);
    this.lists = parts.lists;
    this.queries = parts.queries;
    this.systems = parts.systems;
    this.typed = parts.typed;
  }
}

/** What a house has beside its tables. */
export type HouseParts = Pick<House, 'lists' | 'queries' | 'systems' | 'typed'>;

/** Columns that every table has. */
export const houseColumns: readonly Column[] = [
  { key: 'id', label: 'Record', type: { kind: 'whole' }, required: true, unique: true },
  { key: 'row_version', label: 'Version', type: { kind: 'whole' }, required: true, unique: false },
  {
    key: 'created_at',
    label: 'Made at',
    type: { kind: 'date_time' },
    required: true,
    unique: false,
  },
  { key: 'created_by', label: 'Made by', type: text(100), required: true, unique: false },
  {
    key: 'updated_at',
    label: 'Changed at',
    type: { kind: 'date_time' },
    required: true,
    unique: false,
  },
  { key: 'updated_by', label: 'Changed by', type: text(100), required: true, unique: false },
];
const reservedKeys = new Set(houseColumns.map((c) => c.key));

/** At most so many columns: more do not fit into one page of the database's storage. */
export const mostColumns = 150;
/** At most so many bytes may one record take, long texts not counted. */
export const widestRow = 60_000;

/** At most so many bytes of a record may have to stand on one page of the database's storage. */
export const fullestPage = 7900;

/** A column of the table by key, house columns included. */
export function columnOf(table: Table, key: string): Column | undefined {
  return table.columns.find((c) => c.key === key) ?? houseColumns.find((c) => c.key === key);
}

/** Everything that is wrong with a definition, by path (`columns[2]`). Other tables are looked up in `tables`. */
export function tableProblems(table: Table, tables: House): Problem[] {
  const problems: Problem[] = [];
  if (table.columns.length === 0) problems.push(problem('no_columns', {}, 'columns'));
  if (table.columns.length > mostColumns) {
    const details = { count: table.columns.length, limit: mostColumns };
    problems.push(problem('too_many_columns', details, 'columns'));
  }
  const bytes = rowBytes(table.columns);
  const onPage = pageBytes(table.columns);
  if (bytes > widestRow) {
    problems.push(problem('row_too_wide', { bytes, limit: widestRow }, 'columns'));
  } else if (onPage > fullestPage) {
    problems.push(problem('row_too_wide', { bytes: onPage, limit: fullestPage }, 'columns'));
  }
  const seen = new Set<string>();
  table.columns.forEach((column, i) => {
    const path = `columns[${i}]`;
    const details = { column: column.key, label: column.label };
    if (reservedKeys.has(column.key)) problems.push(problem('column_reserved', details, path));
    if (seen.has(column.key)) problems.push(problem('column_twice', details, path));
    seen.add(column.key);
    problems.push(...typeProblems(column, table, tables, path));
  });
  if (table.display.length === 0 && table.columns.length > 0) {
    problems.push(problem('display_empty', { table: table.title }, 'display'));
  }
  for (const key of table.display) {
    const type = table.columns.find((c) => c.key === key)?.type;
    if (!type || severalIn(type)) {
      problems.push(problem('bad_display', { table: table.title, column: key }, 'display'));
    }
  }
  return problems;
}

/** Bytes that one record takes at most, as the database counts them (four for a character). */
export function rowBytes(columns: readonly Column[]): number {
  return columns.reduce((sum, column) => sum + columnBytes(column.type), 0);
}

/**
 * Bytes of a record that must stand on one page of InnoDB: texts of up to 63 characters wholly, of
 * longer ones a part only, since they may be moved off the page.
 */
export function pageBytes(columns: readonly Column[]): number {
  return columns.reduce((sum, { type }) => {
    const bytes = columnBytes(type);
    const movable = type.kind === 'text' || type.kind === 'option' || type.kind === 'long_text';
    const aside = type.kind === 'long_text' || type.kind === 'rows';
    return sum + (aside || (movable && bytes > 257) ? 41 : bytes);
  }, 0);
}

/** A key made from a label: `Due back (date)` → `due_back_date`; never one in `taken`. */
export function keyFrom(label: string, taken: Iterable<string> = []): string {
  const used = new Set([...taken, ...reservedKeys]);
  const plain = label
    .normalize('NFKD')
    .replace(/[\u0300-\u036f]/g, '')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^_+|_+$/g, '')
    .slice(0, 40)
    .replace(/_+$/, '');
  const stem = plain === '' ? 'column' : /^[a-z]/.test(plain) ? plain : `c_${plain}`;
  let candidate = stem;
  for (let n = 2; used.has(candidate); n++) candidate = `${stem}_${n}`;
  return candidate;
}

/** A label made from a key: `due_back` → `Due back`. */
export function labelFrom(key: string): string {
  const words = key.replace(/_/g, ' ').trim();
  return words.charAt(0).toUpperCase() + words.slice(1);
}

function typeProblems(column: Column, table: Table, tables: House, path: string): Problem[] {
  const { type, label } = column;
  if (isLink(type) && type.table !== table.key && !tables.has(type.table)) {
    return [problem('reference_missing', { label, table: type.table }, path)];
  }
  if (type.kind === 'references' && !mirrorsRightly(tables, table.key, column)) {
    const details = { label, table: type.table, column: type.mirrors ?? '' };
    return [problem('mirror_missing', details, path)];
  }
  if (linkNameTooLong(table.key, column)) return [problem('link_name_long', { label }, path)];
  if (severalIn(type) && (column.required || column.unique)) {
    return [problem('several_plain', { label }, path)];
  }
  if (type.kind === 'option' && type.list !== undefined) {
    if (tables.lists.has(type.list)) return [];
    return [problem('list_missing', { label, list: type.list }, path)];
  }
  if (type.kind === 'option') {
    const values = type.options.map((o) => o.value.toLowerCase());
    const twice = values.find((value, i) => values.indexOf(value) !== i);
    if (twice !== undefined) return [problem('option_twice', { label, given: twice }, path)];
  }
  return [];
}

function columnBytes(type: ValueType): number {
  switch (type.kind) {
    case 'text':
      return type.length * 4 + 2;
    case 'option':
      return 100 * 4 + 2;
    case 'code':
      return longestCode * 4 + 2;
    case 'decimal':
      return Math.ceil(type.precision / 2) + 1;
    case 'yes_no':
      return 1;
    case 'references':
      return 0;
    default:
      return 12;
  }
}

function text(length: number): ValueType {
  return { kind: 'text', format: 'plain', length };
}
