import { rowsOf, type Row } from '../database/rows';
import { valueOfAmount } from '$lib/core/values/amount';
import { isAmount } from '$lib/core/values/types';
import type { Condition } from '$lib/core/table/conditions';
import { columnOf, type Table, type House } from '$lib/core/table/definition';
import { totalType, type Total, type View } from '$lib/core/table/view';
import { Decimal } from '$lib/core/formula/feel';
import type { Value, ValueType } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { allOf, TableQuery, type Piece } from './query';
import { searchPieces } from './search';
import { displayPaths } from '$lib/core/table/paths';
import { fromDatabase, toDatabase } from './values';

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

/** The totals of a view over all records under its filter, and those of the groups that are shown. */
export async function readTotals(
  db: Database,
  tables: House,
  table: Table,
  wish: Pick<View, 'group' | 'totals'> & { filter: readonly Condition[]; search?: string },
  shown: readonly Value[],
): Promise<{ all: TotalRow | null; groups: TotalRow[] }> {
  const totals = wish.totals.filter(({ column }) => columnOf(table, column));
  const group = wish.group === null ? undefined : columnOf(table, wish.group);
  if (totals.length === 0 && !group) return { all: null, groups: [] };
  const query = new TableQuery(db, tables, table);
  const where: Piece[] = wish.filter.map((condition) => query.condition(condition));
  if (wish.search?.trim()) {
    const columns = displayPaths(tables, table).map((path) => query.column(path));
    where.push(...(await searchPieces(db, table, columns, wish.search)).pieces);
  }
  const sums = totals.map(
    ({ column, kind }, i) => `${functions[kind]}(${query.column(column).sql}) as t${i}`,
  );
  const select = ['count(*) as n', ...sums].join(', ');
  const run = async (more: readonly Piece[], head: string, tail: string) => {
    const all = allOf([...where, ...more]);
    const sql = `select ${head}${select} ${query.from()} where ${all.sql} ${tail}`;
    return rowsOf(db.knex, sql, all.bindings);
  };
  const [whole] = await run([], '', '');
  const all = whole ? totalRow(table, totals, null, whole) : null;
  if (!group) return { all, groups: [] };
  const { sql: by, type } = query.column(group.key);
  const present = shown.filter((value) => value !== null);
  const places = present.map(() => '?').join(', ');
  const among: Piece = {
    sql: `(${present.length > 0 ? `${by} in (${places})` : 'false'}${present.length < shown.length ? ` or ${by} is null` : ''})`,
    bindings: present.map((value) => toDatabase(type, value)),
  };
  const rows = await run([among], `${by} as g, `, `group by ${by}`);
  const groups = rows.map((row) => totalRow(table, totals, fromDatabase(type, row.g), row));
  return { all, groups };
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
