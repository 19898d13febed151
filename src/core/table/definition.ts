import { say, spoken } from '../words/say';
import { z } from 'zod';
import { keySchema } from '../values/key';
import { valueTypeSchema, type ValueType } from '../values/types';
import { namedViewSchema } from './view';
import type { Sight } from '../access/sight';
import type { Queries, Systems } from '../outside/query';
import type { Lists } from './option-list';

/** One column of a table. */
export const columnSchema = z.strictObject({
  key: keySchema,
  label: z.string().trim().min(1).max(200),
  type: valueTypeSchema,
  required: z.boolean().default(false),
  unique: z.boolean().default(false),
});
export type Column = z.infer<typeof columnSchema>;

/** Whether a column has an index by which no two records have the same value in it. */
export function isUnique({ unique, type }: Pick<Column, 'unique' | 'type'>): boolean {
  return unique || type.kind === 'code';
}

/** Whether a column must be given a value: codes give one to themselves. */
export function mustBeGiven(column: Column): boolean {
  return column.required && column.type.kind !== 'code';
}

/**
 * An index that serves choices: word search over text columns, or order and narrowing. The words of a large table stand
 * beside it, in a table of their own (`name`), which is filled while people go on working; it is used once it is `whole`.
 */
export const indexSchema = z.strictObject({
  kind: z.enum(['search', 'order']),
  columns: z.array(keySchema).min(1).max(16),
  beside: z
    .strictObject({ name: z.string().regex(/^[0-9a-f]{12}$/), whole: z.boolean() })
    .optional(),
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

  /** What the person who asks sees of it; everything where nobody asks, as when the server itself works. */
  readonly sight: Sight | null;
  /** The house with all that is out of their sight. */
  readonly whole: House;

  constructor(
    tables: Iterable<readonly [string, Table]>,
    parts: HouseParts,
    seen: { sight: Sight; whole: House } | null = null,
  ) {
    super(tables);
    this.sight = seen?.sight ?? null;
    this.whole = seen?.whole ?? this;
    this.lists = parts.lists;
    this.queries = parts.queries;
    this.systems = parts.systems;
    this.typed = parts.typed;
  }
}

/** What a house has beside its tables. */
export type HouseParts = Pick<House, 'lists' | 'queries' | 'systems' | 'typed'>;

/** Columns that every table has. */
export const houseColumns: readonly Column[] = spoken(() => [
  { key: 'id', label: say('Record'), type: { kind: 'whole' }, required: true, unique: true },
  {
    key: 'row_version',
    label: say('Version'),
    type: { kind: 'whole' },
    required: true,
    unique: false,
  },
  {
    key: 'created_at',
    label: say('Made at'),
    type: { kind: 'date_time' },
    required: true,
    unique: false,
  },
  { key: 'created_by', label: say('Made by'), type: text(100), required: true, unique: false },
  {
    key: 'updated_at',
    label: say('Changed at'),
    type: { kind: 'date_time' },
    required: true,
    unique: false,
  },
  { key: 'updated_by', label: say('Changed by'), type: text(100), required: true, unique: false },
]);
/** Keys that no column of a designer's can have. */
export const reservedKeys: ReadonlySet<string> = new Set([
  'id',
  'row_version',
  'created_at',
  'created_by',
  'updated_at',
  'updated_by',
]);

/** A column of the table by key, house columns included. */
export function columnOf(table: Table, key: string): Column | undefined {
  return table.columns.find((c) => c.key === key) ?? houseColumns.find((c) => c.key === key);
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

function text(length: number): ValueType {
  return { kind: 'text', format: 'plain', length };
}
