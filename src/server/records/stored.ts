import type { StoredRecord } from '$lib/core/entry/stored';
import type { House, Table } from '$lib/core/table/definition';
import type { Database, Runner } from '../database/connection';
import { rowsOf } from '../database/rows';
import { TableQuery } from './query';
import { fromDatabase } from './values';

/** Whether records are only read, or held until the transaction ends. */
export type Holding = 'read' | 'held';

/** Records with all their columns, by the values of one of them. */
export async function readStored(
  db: Database,
  runner: Runner,
  tables: House,
  table: Table,
  wish: { column: string; is: readonly (string | number)[]; limit?: number },
  holding: Holding = 'read',
): Promise<StoredRecord[]> {
  if (wish.is.length === 0) return [];
  const query = new TableQuery(db, tables, table);
  const columns = table.columns.map((column, i) => `${query.column(column.key).sql} as v${i}`);
  const select = ['r.`id` as id', 'r.`row_version` as version', ...columns].join(', ');
  const by = query.column(wish.column).sql;
  const places = wish.is.map(() => '?').join(', ');
  const limit = wish.limit === undefined ? '' : ` limit ${wish.limit}`;
  const held = holding === 'held' ? ' for update' : '';
  const sql = `select ${select} ${query.from()} where ${by} in (${places}) order by r.\`id\`${limit}${held}`;
  const rows = await rowsOf(runner, sql, wish.is);
  return rows.map((raw) => ({
    id: Number(raw.id),
    version: Number(raw.version),
    values: Object.fromEntries(
      table.columns.map(({ key, type }, i) => [key, fromDatabase(type, raw[`v${i}`])]),
    ),
  }));
}
