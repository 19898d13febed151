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

/** So many rows of a long transaction go to the other nodes of a cluster at once. */
const rowsInPiece = 5000;

/**
 * Has a long transaction go to the other nodes of a cluster as it comes, and not whole at its end: they would write it
 * for as long as it took, and everybody's saves would wait for them. For the connections of long work, which keep it.
 * https://mariadb.com/kb/en/about-galera-replication/#streaming-replication
 */
export async function inPieces(db: Database, trx: Runner): Promise<void> {
  if (!(await isClustered(db, trx))) return;
  await trx.raw("set session wsrep_trx_fragment_unit = 'rows'");
  await trx.raw(`set session wsrep_trx_fragment_size = ${rowsInPiece}`);
}
