import type { House, Table } from '$lib/core/table/definition';
import type { Column } from '$lib/core/table/definition';
import type { Value } from '$lib/core/values/types';
import type { Database, Runner } from '../database/connection';
import { rowsOf } from '../database/rows';
import { TableQuery } from '../records/query';
import { fromDatabase } from '../records/values';

/** A row of a table: its number, and its values in the order of the columns. */
export interface TableRow {
  id: number;
  values: Value[];
}

const together = 2000;

/** All records of a table that whoever asks sees, in the order of their numbers, in batches: memory stays flat. */
export async function* everyRow(
  db: Database,
  runner: Runner,
  tables: House,
  table: Table,
  columns: readonly Column[],
): AsyncGenerator<TableRow[]> {
  const query = new TableQuery(db, tables, table);
  const select = columns.map(({ key }, i) => `${query.column(key).sql} as v${i}`);
  for (let after = 0; ;) {
    const sql = `select ${['r.`id` as id', ...select].join(', ')} ${query.from()}
      where r.\`id\` > ? order by r.\`id\` limit ${together}`;
    const rows = await rowsOf(runner, sql, [after]);
    if (rows.length === 0) return;
    yield rows.map((row) => ({
      id: Number(row.id),
      values: columns.map(({ type }, i) => fromDatabase(type, row[`v${i}`])),
    }));
    if (rows.length < together) return;
    after = Number(rows.at(-1)?.id);
  }
}
