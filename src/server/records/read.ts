import { reader } from '$lib/core/words/reader';
import { unseenRecord } from '$lib/core/words/unseen';
import { rowsOf, type Row } from '../database/rows';
import type { RecordRow, RecordsPage } from '$lib/core/contract/answers';
import { largeFrom } from '$lib/core/plan/indexes';
import { fail } from '$lib/core/problems';
import { fixedBy, type Condition, type Order } from '$lib/core/table/conditions';
import type { Table, House } from '$lib/core/table/definition';
import { displayPaths, shownLine } from '$lib/core/table/paths';
import { formatValue } from '$lib/core/values/format';
import { idsOf, type Value, type ValueType } from '$lib/core/values/types';
import type { Database, Runner } from '../database/connection';
import {
  allOf,
  behind,
  orderBy,
  readCursor,
  TableQuery,
  writeCursor,
  type OrderTerm,
  type Piece,
} from './query';
import { sizesOf } from '../database/sizes';
import { searchPieces } from './search';
import { findWords } from './found-words';
import { orderValues, type Place } from './looked-through';
import { fromDatabase } from './values';

/** What is wanted of a table's records. */
export interface RecordsWish {
  filter: readonly Condition[];
  sort: readonly Order[];
  search?: string | undefined;
  after?: string | undefined;
  limit: number;
  /** Whether it is counted how many there are. */
  counts?: boolean;
  /** How long a search looks through a large table before it tells what it has found. Milliseconds. */
  patience?: number;
}

const countBound = 100_000;
const countBoundOfLarge = 10_000;

/** Reads one page of a table. */
export async function readRecords(
  db: Database,
  tables: House,
  table: Table,
  wish: RecordsWish,
): Promise<RecordsPage> {
  const query = new TableQuery(db, tables, table);
  const where = wish.filter.map((condition) => query.condition(condition));
  const terms = query.order(wish.sort);
  const size = (await sizesOf(db)).get(table.key) ?? 0;
  const text = wish.search?.trim() ?? '';
  if (text !== '' && size >= largeFrom) return searchLarge(db, tables, query, wish, { text, size });
  if (text !== '') {
    const shown = displayPaths(tables, table).map((path) => query.column(path));
    where.push(...(await searchPieces(db, table, shown, text)).pieces);
  }
  const bound = size >= largeFrom ? countBoundOfLarge : countBound;
  const uncounted = wish.counts === false;
  const counted = uncounted ? 0 : await countRecords(db.knex, query, where, bound);
  // A table that grows large between two pages of a search is gone on with all the same.
  const looked = text === '' ? [] : [0];
  if (wish.after) {
    const after = readCursor(wish.after, looked.length + terms.length);
    where.push(behind(terms, after.slice(looked.length)));
  }
  const rows = await selectRows(db, db.knex, tables, query, allOf(where), {
    extra: cursorOf(terms),
    tail: `${orderBy(terms)} limit ${wish.limit + 1}`,
  });
  const last = rows.length > wish.limit ? rows[wish.limit - 1] : undefined;
  return {
    records: rows.slice(0, wish.limit).map((row) => row.record),
    next: last ? writeCursor([...looked, ...orderValues(terms, last.raw)]) : null,
    total: uncounted ? Math.min(rows.length, wish.limit) : Math.min(counted, bound),
    more: uncounted ? last !== undefined : counted > bound,
  };
}

/** A page of what a search finds in a large table. It is not counted, and may have been stopped on its way. */
async function searchLarge(
  db: Database,
  tables: House,
  query: TableQuery,
  wish: RecordsWish,
  { text, size }: { text: string; size: number },
): Promise<RecordsPage> {
  const shown = displayPaths(tables, query.table).map((path) => query.column(path));
  const terms = query.order(wish.sort);
  const [looked, ...last] = wish.after ? readCursor(wish.after, terms.length + 1) : [0];
  const from: Place = {
    last: wish.after ? last : null,
    looked: typeof looked === 'number' ? looked : 0,
  };
  const { rows, stopped } = await findWords({
    ...{ db, runner: db.knex, size, query, shown, text, terms, from, wanted: wish.limit + 1 },
    where: wish.filter.map((condition) => query.condition(condition)),
    fixed: fixedBy(wish.filter),
    besides: [],
    patience: wish.patience,
    select: (where, tail) =>
      selectRows(db, db.knex, tables, query, where, { extra: cursorOf(terms), tail }),
  });
  const records = rows.slice(0, wish.limit).map((row) => row.record);
  const end = rows.length > wish.limit ? rows[wish.limit - 1] : undefined;
  const place = end ? { last: orderValues(terms, end.raw), looked: from.looked } : stopped;
  return {
    records,
    next: place && writeCursor([place.looked, ...(place.last ?? [])]),
    total: records.length,
    more: place !== null,
    ...(stopped && { looked: { rows: stopped.looked, of: Math.max(stopped.looked, size) } }),
  };
}

function cursorOf(terms: readonly OrderTerm[]): string[] {
  return terms.map((term, i) => `${term.sql} as o${i}`);
}

/** One record; fails with 404. */
export async function readRecord(
  db: Database,
  runner: Runner,
  tables: House,
  table: Table,
  id: number,
): Promise<RecordRow> {
  const query = new TableQuery(db, tables, table);
  const where = { sql: 'r.`id` = ?', bindings: [id] };
  const [row] = await selectRows(db, runner, tables, query, where, { extra: [], tail: 'limit 1' });
  return row?.record ?? fail('unknown_record', { id: String(id), table: table.title }, 404);
}

/** A record in one line, as its table shows it; `null` where there is none. */
export async function shownRecord(
  db: Database,
  runner: Runner,
  tables: House,
  table: Table,
  id: number,
): Promise<string | null> {
  return (await shownRecords(db, runner, tables, table, [id])).get(id) ?? null;
}

/** Records in one line each, by their id. */
export async function shownRecords(
  db: Database,
  runner: Runner,
  tables: House,
  table: Table,
  ids: readonly number[],
): Promise<Map<number, string>> {
  if (ids.length === 0) return new Map();
  const query = new TableQuery(db, tables, table);
  const parts = displayPaths(tables, table).map((path) => query.column(path));
  const types = parts.map((e) => e.type);
  const columns = ['r.`id` as id', ...parts.map((e, i) => `${e.sql} as c${i}`)].join(', ');
  const places = ids.map(() => '?').join(', ');
  const sql = `select ${columns} ${query.from()} where r.\`id\` in (${places})`;
  const rows = await rowsOf(runner, sql, ids);
  return new Map(rows.map((row) => [Number(row.id), line(types, row, 'c')]));
}

/** Gives each of several things that are about a record of a form its record's line; `''` where there is none. */
export async function withRecordNames<T extends { form: string; record: number | null }>(
  db: Database,
  tables: House,
  forms: readonly { key: string; table: string }[],
  about: readonly T[],
): Promise<(T & { named: string })[]> {
  const tableOf = new Map(forms.map(({ key, table }) => [key, table]));
  const lines = new Map<string, string>();
  for (const key of new Set(about.map(({ form }) => tableOf.get(form)))) {
    const table = key === undefined ? undefined : tables.get(key);
    const here = about.filter(({ form }) => tableOf.get(form) === key);
    const ids = [...new Set(here.flatMap(({ record }) => record ?? []))];
    const found = table ? await shownRecords(db, db.knex, tables, table, ids) : new Map();
    for (const [id, line] of found) lines.set(`${key} ${id}`, line);
  }
  return about.map((one) => ({
    ...one,
    named: lines.get(`${tableOf.get(one.form)} ${one.record}`) ?? '',
  }));
}

async function selectRows(
  db: Database,
  runner: Runner,
  tables: House,
  query: TableQuery,
  where: Piece,
  { extra, tail }: { extra: string[]; tail: string },
): Promise<{ record: RecordRow; raw: Row }[]> {
  const { table } = query;
  const columns = table.columns.map((column, i) => `${query.column(column.key).sql} as v${i}`);
  const references = table.columns.flatMap((column) => {
    if (column.type.kind !== 'reference') return [];
    const to = tables.get(column.type.table);
    const paths = to
      ? displayPaths(tables, to).map((path) => query.column(`${column.key}.${path}`))
      : [];
    // A foreign key leads somewhere: where nothing is found, it is out of sight.
    const there = to && tables.sight ? query.column(`${column.key}.id`).sql : 'null';
    return [{ key: column.key, paths, there }];
  });
  const shown = references.flatMap((ref, r) => [
    `${ref.there} as t${r}`,
    ...ref.paths.map((e, i) => `${e.sql} as s${r}_${i}`),
  ]);
  const select = ['r.`id` as id', 'r.`row_version` as version', ...columns, ...shown, ...extra];
  const sql = `select ${select.join(', ')} ${query.from()} where ${where.sql} ${tail}`;
  const rows = await rowsOf(runner, sql, where.bindings);
  const selected = rows.map((raw) => {
    const values: Record<string, Value> = {};
    table.columns.forEach((column, i) => {
      values[column.key] = fromDatabase(column.type, raw[`v${i}`]);
    });
    const lines: Record<string, string> = {};
    references.forEach((ref, r) => {
      if (values[ref.key] === null) return;
      if (tables.sight && raw[`t${r}`] === null) {
        lines[ref.key] = unseenRecord();
        return;
      }
      lines[ref.key] = line(
        ref.paths.map((e) => e.type),
        raw,
        `s${r}_`,
      );
    });
    return {
      record: { id: Number(raw.id), version: Number(raw.version), values, shown: lines },
      raw,
    };
  });
  await nameLinked(
    db,
    runner,
    tables,
    table,
    selected.map(({ record }) => record),
  );
  return selected;
}

/** Says of columns with several references how the linked records are shown. */
async function nameLinked(
  db: Database,
  runner: Runner,
  tables: House,
  table: Table,
  records: readonly RecordRow[],
): Promise<void> {
  for (const { key, type } of table.columns) {
    const to = type.kind === 'references' ? tables.get(type.table) : undefined;
    if (!to) continue;
    const ids = new Set(records.flatMap((record) => idsOf(record.values[key] ?? null)));
    const lines = await shownRecords(db, runner, tables, to, [...ids]);
    for (const record of records) {
      const linked = idsOf(record.values[key] ?? null).map((id) => lines.get(id) ?? unseenRecord());
      if (linked.length === 0) continue;
      record.linked = { ...record.linked, [key]: linked };
      record.shown[key] = linked.join(', ');
    }
  }
}

async function countRecords(
  runner: Runner,
  query: TableQuery,
  where: readonly Piece[],
  bound: number,
): Promise<number> {
  const all = allOf(where);
  const sql = `select count(*) as n from (select 1 ${query.from()} where ${all.sql} limit ${bound + 1}) as counted`;
  const [row] = await rowsOf(runner, sql, all.bindings);
  return Number(row?.n);
}

function line(types: readonly ValueType[], row: Record<string, unknown>, prefix: string): string {
  const parts = types.map((type, i) => {
    const value = fromDatabase(type, row[`${prefix}${i}`]);
    return value === null ? '' : formatValue(type, value, reader());
  });
  return shownLine(parts);
}
