import { crc32 } from 'node:zlib';
import type { Database, Runner } from './connection';
import { rowsOf } from './rows';

/** A record on which a limit depends; without an id, the table as a whole. */
export interface Lock {
  table: string;
  id: number | null;
}

/** Locks are kept by hash, in so many rows at most: two that share one only wait for each other for nothing. */
const slots = 2 ** 20;

/** So many are written in one statement. */
const mostTogether = 500;

const clustered = new WeakMap<Database, Promise<boolean>>();

/**
 * Whether the database is a node of a cluster, where a lock that is only taken is unknown to the other nodes: what
 * must not happen twice at once has to be written. In a transaction it is asked on the connection of that one: all of the
 * pool may be held by others that ask the same.
 */
export function isClustered(db: Database, runner: Runner = db.knex): Promise<boolean> {
  const known = clustered.get(db);
  if (known) return known;
  const asked = rowsOf(runner, "show global variables like 'wsrep_on'").then((rows) =>
    rows.some((row) => row.Value === 'ON'),
  );
  clustered.set(db, asked);
  asked.catch(() => clustered.delete(db));
  return asked;
}

/**
 * Writes a row for each lock, in one order for everybody. Of two transactions that write the same one the second
 * waits on the same node, and is refused as a deadlock's victim on another. Only for a cluster.
 */
export async function writeLocks(db: Database, trx: Runner, locks: Iterable<Lock>): Promise<void> {
  const found = new Set<number>();
  for (const { table, id } of locks) found.add(crc32(`${table} ${id ?? ''}`) % slots);
  const sorted = [...found].sort((a, b) => a - b);
  for (let from = 0; from < sorted.length; from += mostTogether) {
    const some = sorted.slice(from, from + mostTogether);
    const marks = some.map(() => '(?, 1)').join(', ');
    const sql = `insert into \`${db.catalog}\`.lock_row (slot, n) values ${marks} on duplicate key update n = n + 1`;
    await trx.raw(sql, some);
  }
}
