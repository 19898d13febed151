import { aboutFrom, aboutSo } from '$lib/core/words/about';
import type { House } from '$lib/core/table/definition';
import type { Database } from '../database/connection';
import { rowsOf } from '../database/rows';
import { sizesOf } from '../database/sizes';
import { seenTable, seenWhere } from './sight';

/** So many tables are counted by one statement. */
const together = 100;

/**
 * The number of records of tables: exact where that is cheap; of a table that is large by the database's estimate
 * that estimate, rounded, where the person sees all of it. No number from {@link aboutFrom} on is to be taken exactly.
 */
export async function countTables(
  db: Database,
  tables: House,
  keys: readonly string[] = [...tables.keys()],
): Promise<Map<string, number>> {
  const sizes = await sizesOf(db);
  const counts = new Map<string, number>();
  const exactly: string[] = [];
  for (const key of keys) {
    const size = sizes.get(key) ?? 0;
    const whole = seenWhere(db, tables, key, 'r') === '';
    if (size >= aboutFrom && whole) counts.set(key, aboutSo(size));
    else exactly.push(key);
  }
  for (let i = 0; i < exactly.length; i += together) {
    const parts = exactly
      .slice(i, i + together)
      .map((key) => `select ? as k, count(*) as n from ${seenTable(db, tables, key, 'r')}`);
    const bound = exactly.slice(i, i + together);
    for (const { k, n } of await rowsOf(db.knex, parts.join(' union all '), bound)) {
      counts.set(String(k), Number(n));
    }
  }
  // In the order of the tables, whichever was counted how.
  return new Map(keys.map((key) => [key, counts.get(key) ?? 0]));
}
