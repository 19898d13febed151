import type { House } from '$lib/core/table/definition';
import type { Database } from '../database/connection';
import { seenTable } from './sight';

/** The number of records of every table. */
export async function countTables(db: Database, tables: House): Promise<Map<string, number>> {
  const counts = new Map<string, number>();
  for (const key of tables.keys()) {
    const all = seenTable(db, tables, key, 'r');
    const [[row]] = await db.knex.raw(`select count(*) as n from ${all}`);
    counts.set(key, Number(row.n));
  }
  return counts;
}
