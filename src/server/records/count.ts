import type { House } from '$lib/core/table/definition';
import type { Database } from '../database/connection';
import { tableSql } from '../database/ddl';

/** The number of records of every table. */
export async function countTables(db: Database, tables: House): Promise<Map<string, number>> {
  const counts = new Map<string, number>();
  for (const key of tables.keys()) {
    const [[row]] = await db.knex.raw(`select count(*) as n from ${tableSql(db, key)}`);
    counts.set(key, Number(row.n));
  }
  return counts;
}
