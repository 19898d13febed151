import { rowsOf } from '../database/rows';
import type { House } from '$lib/core/table/definition';
import type { Value } from '$lib/core/values/types';
import type { Database, Runner } from '../database/connection';
import { tableFrom } from '../catalog/tables';
import { TableQuery } from './query';
import { fromDatabase } from './values';

/** Columns of records of one table, by the record's id; a record that is gone is not among them. */
export async function readColumns(
  db: Database,
  runner: Runner,
  tables: House,
  wish: { table: string; ids: readonly number[]; paths: readonly string[] },
): Promise<Map<number, Record<string, Value>>> {
  const query = new TableQuery(db, tables, tableFrom(tables.whole, wish.table));
  const columns = wish.paths.map((path) => query.column(path));
  const select = ['r.`id` as id', ...columns.map(({ sql }, i) => `${sql} as c${i}`)].join(', ');
  const places = wish.ids.map(() => '?').join(', ');
  const sql = `select ${select} ${query.from()} where r.\`id\` in (${places})`;
  const rows = await rowsOf(runner, sql, wish.ids);
  return new Map(
    rows.map((row) => [
      Number(row.id),
      Object.fromEntries(
        wish.paths.map((path, i) => [
          path,
          fromDatabase(columns[i]?.type ?? { kind: 'long_text' }, row[`c${i}`]),
        ]),
      ),
    ]),
  );
}
