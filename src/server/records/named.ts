import { reader } from '$lib/core/words/reader';
import { rowsOf } from '../database/rows';
import type { Choice } from '$lib/core/entry/asks';
import { shownLine } from '$lib/core/table/paths';
import { formatValue } from '$lib/core/values/format';
import { parseText } from '$lib/core/values/parse';
import type { House } from '$lib/core/table/definition';
import type { ValueType } from '$lib/core/values/types';
import type { Database, Runner } from '../database/connection';
import {
  choiceOf,
  compileChoices,
  type ChoicesWish,
  type CompiledChoices,
} from './choices-compiled';
import { allOf, type Expression, type Piece } from './query';
import { equalityOf } from './equality';
import { fromDatabase, toDatabase } from './values';

/** What a typed key names: a record that is offered, none, or several. */
export type Named = Choice | null | 'ambiguous';

/** At most so many records are looked through for the keys of one read. */
const mostFound = 20_000;

/**
 * The records that typed keys name, among those that are offered. Where the choices say which column is
 * typed, that column alone counts, read as its type has it: `0042` stays a text, and is the number 42
 * in a column of numbers. Otherwise a text names a record by any shown column, or by its whole line.
 */
export async function readNamed(
  db: Database,
  runner: Runner,
  tables: House,
  wish: Pick<ChoicesWish, 'choices' | 'given'> & { keys: readonly string[] },
): Promise<Map<string, Named>> {
  const compiled = compileChoices(db, tables, wish);
  const { typedBy } = wish.choices;
  const by = typedBy === null ? compiled.shown : [compiled.query.column(typedBy)];
  const wanted = by.flatMap((column) => amongPiece(column, wish.keys) ?? []);
  if (wanted.length === 0) return new Map(wish.keys.map((key) => [key, null]));
  const rows = await rowsNamed(runner, compiled, by, wanted);
  const find = await finder(runner, rows, by, typedBy !== null, wish.keys);
  return new Map(wish.keys.map((key) => [key, find(key)]));
}

interface NamedRow {
  choice: Choice;
  /** The columns by which it can be named, as people read them. */
  names: (string | null)[];
}

/** That a column holds one of the keys; a whole line is found by its first part. */
function amongPiece({ sql, type }: Expression, keys: readonly string[]): Piece | null {
  const bound = keys
    .flatMap((key) => [key, key.split(' · ')[0] ?? key])
    .flatMap((key) => {
      const parsed = parseText(type, key, '');
      return 'value' in parsed && parsed.value !== null ? [toDatabase(type, parsed.value)] : [];
    });
  const values = [...new Set(bound)];
  if (values.length === 0) return null;
  return { sql: `${sql} in (${values.map(() => '?').join(', ')})`, bindings: values };
}

async function rowsNamed(
  runner: Runner,
  { query, value, shown, conditions, distinct }: CompiledChoices,
  by: readonly Expression[],
  wanted: readonly Piece[],
): Promise<NamedRow[]> {
  const any = {
    sql: `(${wanted.map((piece) => piece.sql).join(' or ')})`,
    bindings: wanted.flatMap((piece) => piece.bindings),
  };
  const all = allOf([any, ...conditions.map((c) => query.condition(c))]);
  const columns = [value, ...shown].map((e, i) => `${e.sql} as c${i}`);
  const names = by.map((e, i) => `${e.sql} as n${i}`);
  const select = `select${distinct ? ' distinct' : ''} ${[...columns, ...names].join(', ')}`;
  const sql = `${select} ${query.from()} where ${all.sql} limit ${mostFound}`;
  const rows = await rowsOf(runner, sql, all.bindings);
  return rows.map((row) => ({
    choice: choiceOf(row, value.type, shown),
    names: by.map(({ type }, i) => {
      const held = fromDatabase(type, row[`n${i}`]);
      return held === null
        ? null
        : typeof held === 'string'
          ? held
          : formatValue(type, held, reader());
    }),
  }));
}

/**
 * Finds the one row that a key names; a row named by its whole line goes before one named by a part. What is
 * equal the database says, once for all names and keys.
 */
async function finder(
  runner: Runner,
  rows: readonly NamedRow[],
  by: readonly Expression[],
  exact: boolean,
  keys: readonly string[],
): Promise<(key: string) => Named> {
  const writtenAs = (key: string) => [key, ...by.flatMap(({ type }) => formatted(type, key) ?? [])];
  const lineOf = ({ names }: NamedRow) => shownLine(names.map((name) => name ?? ''));
  const equality = await equalityOf(runner, [
    ...keys.flatMap(writtenAs),
    ...rows.map(lineOf),
    ...rows.flatMap(({ names }) => names.filter((name) => name !== null)),
  ]);
  const whole = new Map<string, Set<NamedRow>>();
  const parts = new Map<string, Set<NamedRow>>();
  const note = (names: typeof whole, name: string, row: NamedRow) => {
    const known = names.get(name);
    if (known) known.add(row);
    else names.set(name, new Set([row]));
  };
  for (const row of rows) {
    note(whole, equality.key(lineOf(row)), row);
    for (const name of row.names) if (name !== null) note(parts, equality.key(name), row);
  }
  return (key) => {
    const written = writtenAs(key).map((name) => equality.key(name));
    const lines = exact ? undefined : whole.get(equality.key(key));
    const found = lines ?? new Set(written.flatMap((name) => [...(parts.get(name) ?? [])]));
    if (found.size > 1) return 'ambiguous';
    return [...found][0]?.choice ?? null;
  };
}

/** A typed text as its type is shown: `1250.5` as `1,250.50`; `null` where it is none of the type. */
function formatted(type: ValueType, key: string): string | null {
  if (type.kind === 'text' || type.kind === 'long_text') return null;
  const parsed = parseText(type, key, '');
  return 'value' in parsed && parsed.value !== null
    ? formatValue(type, parsed.value, reader())
    : null;
}
