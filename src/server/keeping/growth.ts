import type { House } from '$lib/core/table/definition';
import type { Database } from '../database/connection';
import { rowsOf } from '../database/rows';
import { tableSizes, type TableSize } from './figures';

/** Days over which growth is told. */
export const grownOver = 30;

/** A table by its size, and how it has grown. */
export interface GrownTable extends TableSize {
  /** How many records it had about, by day, the oldest first; the last is now. */
  days: { day: string; records: number }[];
}

/** Notes once a day how large the tables are; whoever looks after the house looks at it so often at least. */
export async function noteSizes(db: Database, house: House, now = new Date()): Promise<void> {
  const day = now.toISOString().slice(0, 10);
  const table = `\`${db.catalog}\`.table_size`;
  const [noted] = await rowsOf(db.knex, `select 1 from ${table} where day = ? limit 1`, [day]);
  if (noted) return;
  const sizes = await tableSizes(db, house);
  if (sizes.length === 0) return;
  const rows = sizes.map(({ key, records, bytes }) => [key, day, records, bytes]);
  await db.knex.raw(
    `insert ignore into ${table} (table_key, day, records, bytes)
     values ${rows.map(() => '(?, ?, ?, ?)').join(', ')}`,
    rows.flat(),
  );
  await db.knex.raw(`delete from ${table} where day < ? - interval 2 year`, [day]);
}

/** The tables of a house by size, the largest first, with their growth over the last days. */
export async function grownTables(
  db: Database,
  house: House,
  now = new Date(),
): Promise<GrownTable[]> {
  const today = now.toISOString().slice(0, 10);
  const noted = await rowsOf(
    db.knex,
    `select table_key, cast(day as char) as day, records from \`${db.catalog}\`.table_size
     where day >= ? - interval ${grownOver} day and day < ? order by day`,
    [today, today],
  );
  return (await tableSizes(db, house)).map((size) => {
    const before = noted
      .filter((row) => row.table_key === size.key)
      .map((row) => ({ day: String(row.day), records: Number(row.records) }));
    return { ...size, days: [...before, { day: today, records: size.records }] };
  });
}
