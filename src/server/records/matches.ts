import type { ImportMatches } from '$lib/core/contract/answers';
import { isUnique, type Column, type House, type Table } from '$lib/core/table/definition';
import type { Database } from '../database/connection';
import { tableSql } from '../database/ddl';
import { rowsOf } from '../database/rows';
import { sizesOf } from '../database/sizes';
import { equalityOf } from './equality';
import { seenTable, seenWhere } from './sight';

/** That the values of a column are keys of another table. */
export interface KeyMatch {
  table: string;
  /** The unique column of that table. */
  column: string;
  /** Different values looked at, and how many of them are keys there. */
  values: number;
  matching: number;
  /** Some that are not: often errors in the data. */
  exceptions: string[];
}

/** So many different values are looked at first; a table that does not hold them is not counted in full. */
const sampleSize = 200;
/** Nearly all values must be keys; the others are told as exceptions. */
const nearMiss = 0.02;
const mostShown = 5;

/**
 * Which tables have the values of a column as keys, best first. A column without values matches
 * nothing, and a key of plain numbers (1, 2, 3 …) would match anything, so only texts are looked at.
 */
export async function findMatches(
  db: Database,
  tables: House,
  table: Table,
  column: Column,
): Promise<KeyMatch[]> {
  if (!isKeyLike(column)) return [];
  const found: KeyMatch[] = [];
  for (const other of tables.values()) {
    if (other.key === table.key) continue;
    for (const key of other.columns) {
      if (!isKeyLike(key) || !isUnique(key)) continue;
      const match = await matchWith(db, tables, table, column, other, key);
      if (match) found.push(match);
    }
  }
  return found.sort((a, b) => b.matching / b.values - a.matching / a.values);
}

/** A table larger than this is not looked through without an index. */
const mostWithout = 200_000;
/** So much of a column must be known elsewhere for that to be told. */
const worthTelling = 0.5;
const mostMatches = 3;
/** So many values are asked for in one statement. */
const askedTogether = 2000;

/**
 * For each of several lists of values, the columns of the house that hold them: keys, and what shows a record.
 * Compared as the database compares.
 */
export async function matchInHouse(
  db: Database,
  tables: House,
  lists: readonly (readonly string[])[],
): Promise<ImportMatches> {
  const all = [...new Set(lists.flat().map((value) => value.trim()))].filter((v) => v !== '');
  const found: ImportMatches = lists.map(() => []);
  if (all.length === 0) return found;
  const rows = await sizesOf(db);
  const columns = [...tables.values()].flatMap((table) =>
    table.columns.filter(isKeyLike).map((column) => ({ table, column })),
  );
  // Keys come first: where two hold as many, they are what was meant.
  const keys = columns.filter(({ column }) => isUnique(column));
  const shown = columns.filter(
    ({ table, column }) =>
      !isUnique(column) &&
      table.display[0] === column.key &&
      (rows.get(table.key) ?? 0) <= mostWithout,
  );
  const equality = await equalityOf(db.knex, all);
  for (const { table, column } of [...keys, ...shown]) {
    const there = new Set<string>();
    for (let from = 0; from < all.length; from += askedTogether) {
      const part = all.slice(from, from + askedTogether);
      // A list is sorted once and looked up in: without an index, too, each record is read once.
      const sql = `select distinct o.\`${column.key}\` as v from ${tableSql(db, table.key)} o
        where o.\`${column.key}\` in (${part.map(() => '?').join(', ')})${andSeen(db, tables, table)}`;
      const texts = (await rowsOf(db.knex, sql, part)).map(({ v }) => String(v));
      await equality.learn(texts);
      for (const text of texts) there.add(equality.key(text));
    }
    const known = { has: (value: string) => there.has(equality.key(value)) };
    lists.forEach((list, i) => {
      const values = [...new Set(list.map((value) => value.trim()))].filter((v) => v !== '');
      const missing = values.filter((value) => !known.has(value));
      const matching = values.length - missing.length;
      if (values.length < 2 || matching / values.length < worthTelling) return;
      const told = { table: table.key, column: column.key, values: values.length, matching };
      found[i]?.push({ ...told, missing: missing.slice(0, mostShown) });
    });
  }
  return found.map((list) => list.sort((a, b) => b.matching - a.matching).slice(0, mostMatches));
}

async function matchWith(
  db: Database,
  tables: House,
  table: Table,
  column: Column,
  other: Table,
  key: Column,
): Promise<KeyMatch | null> {
  const all = `(select distinct \`${column.key}\` as v from ${seenTable(db, tables, table.key, 'r')} where r.\`${column.key}\` is not null and r.\`${column.key}\` <> '')`;
  const sample = `(select v from ${all} as d limit ${sampleSize})`;
  const probable = await counted(db, tables, sample, other, key);
  if (!isMatch(probable)) return null;
  const exact =
    probable.values < sampleSize ? probable : await counted(db, tables, all, other, key);
  if (!isMatch(exact)) return null;
  const missing =
    exact.values === exact.matching ? [] : await exceptions(db, tables, all, other, key);
  return { table: other.key, column: key.key, ...exact, exceptions: missing };
}

async function counted(
  db: Database,
  tables: House,
  values: string,
  other: Table,
  key: Column,
): Promise<{ values: number; matching: number }> {
  const sql = `select count(*) as n, count(o.\`id\`) as m from ${values} as s left join ${tableSql(db, other.key)} as o on o.\`${key.key}\` = s.v${andSeen(db, tables, other)}`;
  const [[row]] = await db.knex.raw(sql);
  return { values: Number(row.n), matching: Number(row.m) };
}

async function exceptions(
  db: Database,
  tables: House,
  values: string,
  other: Table,
  key: Column,
): Promise<string[]> {
  const sql = `select s.v as v from ${values} as s left join ${tableSql(db, other.key)} as o on o.\`${key.key}\` = s.v${andSeen(db, tables, other)} where o.\`id\` is null order by s.v limit ${mostShown}`;
  const [rows] = await db.knex.raw(sql);
  return (rows as { v: unknown }[]).map(({ v }) => String(v));
}

/** Of the other table only what is in sight. */
function andSeen(db: Database, tables: House, { key }: Table): string {
  const seen = seenWhere(db, tables, key, 'o');
  return seen === '' ? '' : ` and ${seen}`;
}

function isMatch({ values, matching }: { values: number; matching: number }): boolean {
  return values > 1 && matching > 0 && values - matching <= Math.max(1, values * nearMiss);
}

function isKeyLike({ type }: Column): boolean {
  return type.kind === 'text' || type.kind === 'code';
}
