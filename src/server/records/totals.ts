import { rowsOf, type Row } from '../database/rows';
import { valueOfAmount } from '$lib/core/values/amount';
import { isAmount } from '$lib/core/values/types';
import type { Condition } from '$lib/core/table/conditions';
import { columnOf, type Column, type Table, type House } from '$lib/core/table/definition';
import { totalType, type GroupOrder, type Total, type View } from '$lib/core/table/view';
import { Decimal } from '$lib/core/formula/feel';
import type { Value, ValueType } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { allOf, TableQuery, type Piece } from './query';
import { searchPieces } from './search';
import { displayPaths } from '$lib/core/table/paths';
import { fromDatabase } from './values';

/** The totals of a group of records, or of all. */
export interface TotalRow {
  /** The value of the grouping column; `null` also for the total of all. */
  value: Value;
  records: number;
  /** By their place in the view. */
  totals: Value[];
}

const functions = {
  sum: 'sum',
  average: 'avg',
  least: 'min',
  greatest: 'max',
  count: 'count',
} as const;

/** Which records of a table are summed, by what they are grouped, and how far. */
export interface TotalsWish extends Pick<View, 'group' | 'groupOrder' | 'totals'> {
  filter: readonly Condition[];
  search?: string;
  /** At most so many groups are told. */
  most: number;
}

/** The totals of a view over all records under its filter, and those of its groups, in their order. */
export async function readTotals(
  db: Database,
  tables: House,
  table: Table,
  wish: TotalsWish,
): Promise<{ all: TotalRow | null; groups: TotalRow[]; more: boolean }> {
  const totals = wish.totals.filter(({ column }) => columnOf(table, column));
  const group = wish.group === null ? undefined : columnOf(table, wish.group);
  if (totals.length === 0 && !group) return { all: null, groups: [], more: false };
  const query = new TableQuery(db, tables, table);
  const where = await fitting(db, tables, table, query, wish);
  const sums = totals.map((total, i) => `${totalSql(query, total)} as t${i}`);
  const select = ['count(*) as n', ...sums].join(', ');
  const run = async (head: string, tail: string) => {
    const sql = `select ${head}${select} ${query.from()} where ${where.sql} ${tail}`;
    return rowsOf(db.knex, sql, where.bindings);
  };
  const [whole] = await run('', '');
  const all = whole ? totalRow(table, totals, null, whole) : null;
  if (!group) return { all, groups: [], more: false };
  const { sql: by, type } = query.column(group.key);
  const order = groupOrder(query, tables, group, by, wish.groupOrder, totals.length > 0);
  const rows = await run(
    `${by} as g, `,
    `group by ${by} order by ${order}, g limit ${wish.most + 1}`,
  );
  const told = rows.slice(0, wish.most);
  const groups = told.map((row) => totalRow(table, totals, fromDatabase(type, row.g), row));
  return { all, groups, more: rows.length > wish.most };
}

/** A total as an expression over records. */
export function totalSql(query: TableQuery, { column, kind }: Total): string {
  return `${functions[kind]}(${query.column(column).sql})`;
}

/** What holds for the records that are looked at. */
export async function fitting(
  db: Database,
  tables: House,
  table: Table,
  query: TableQuery,
  { filter, search = '' }: { filter: readonly Condition[]; search?: string },
): Promise<Piece> {
  const where: Piece[] = filter.map((condition) => query.condition(condition));
  if (search.trim()) {
    const columns = displayPaths(tables, table).map((path) => query.column(path));
    where.push(...(await searchPieces(db, table, columns, search)).pieces);
  }
  return allOf(where);
}

/** The order of groups; records that are referred to stand by how they are shown. */
function groupOrder(
  query: TableQuery,
  tables: House,
  { key, type }: Column,
  by: string,
  order: GroupOrder,
  hasTotals: boolean,
): string {
  if (order === 'most' || order === 'fewest') return `n${order === 'most' ? ' desc' : ''}`;
  if (hasTotals && (order === 'greatest' || order === 'least')) {
    return `t0${order === 'greatest' ? ' desc' : ''}`;
  }
  const to = type.kind === 'reference' ? tables.get(type.table) : undefined;
  const shown = to
    ? displayPaths(tables, to).map((path) => query.column(`${key}.${path}`).sql)
    : [];
  const terms = shown.length > 0 ? shown.map((sql) => `min(${sql})`) : [by];
  return terms.map((term) => `${term}${order === 'value_down' ? ' desc' : ''}`).join(', ');
}

function totalRow(table: Table, totals: readonly Total[], value: Value, row: Row): TotalRow {
  const read = totals.map(({ column, kind }, i): Value => {
    const type = totalType(kind, columnOf(table, column)?.type ?? { kind: 'whole' });
    return canonical(type, row[`t${i}`]);
  });
  return { value, records: Number(row.n), totals: read };
}

function canonical(type: ValueType, found: unknown): Value {
  if (found === null || found === undefined) return null;
  return isAmount(type)
    ? valueOfAmount(type, new Decimal(String(found)))
    : fromDatabase(type, found);
}
