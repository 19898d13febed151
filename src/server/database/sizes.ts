import type { Database } from './connection';
import { rowsOf } from './rows';
import { forAll } from './wanted';

/** Sizes are estimates: they are read again after so long. Milliseconds. */
const fresh = 30_000;

interface Known {
  at: number;
  sizes: Promise<Map<string, number>>;
}

const known = new WeakMap<Database, Known>();

/**
 * About how many rows each table of the records has, as the database estimates it: right within a few in a hundred
 * for large tables, sometimes far off for small ones. A table that was made a moment ago may be missing.
 */
export function sizesOf(db: Database): Promise<ReadonlyMap<string, number>> {
  const last = known.get(db);
  if (last && performance.now() - last.at < fresh) return last.sizes;
  const sizes = forAll(() => readSizes(db));
  sizes.catch(() => known.delete(db));
  known.set(db, { at: performance.now(), sizes });
  return sizes;
}

async function readSizes(db: Database): Promise<Map<string, number>> {
  const rows = await rowsOf(
    db.knex,
    'select table_name as name, table_rows as n from information_schema.tables where table_schema = ?',
    [db.records],
  );
  return new Map(rows.map(({ name, n }) => [String(name), Number(n ?? 0)]));
}
