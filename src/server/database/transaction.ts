import { setTimeout } from 'node:timers/promises';
import type { Knex } from 'knex';
import type { Database } from './connection';
import { isDeadlock } from './errors';
import { inPieces } from './lock-rows';
import { refuseFull } from './room';

const mostTries = 12;

/** Does something again that fell victim to a deadlock or waited too long for a lock, after a short random pause. */
export async function retrying<T>(work: () => Promise<T>): Promise<T> {
  for (let tried = 1; ; tried++) {
    try {
      return await work();
    } catch (error) {
      if (!isDeadlock(error) || tried === mostTries) throw error;
      await setTimeout(Math.random() * 20 * tried);
    }
  }
}

/**
 * Runs a transaction in which every read sees what is committed by then; one that falls victim to a
 * deadlock is tried again. Refused where the disk is nearly full. All that it does to the database goes through the connection it is given.
 */
export async function inTransaction<T>(
  db: Pick<Database, 'knex'>,
  work: (trx: Knex.Transaction) => Promise<T>,
): Promise<T> {
  await refuseFull(db);
  return retrying(() => db.knex.transaction(work));
}

/**
 * Loads in one long transaction in which references may come before what they name; whoever loads sees to it that
 * they name something in the end.
 */
export async function inLoad<T>(
  db: Database,
  work: (trx: Knex.Transaction) => Promise<T>,
): Promise<T> {
  return db.long.transaction(async (trx) => {
    await trx.raw('set foreign_key_checks = 0');
    await inPieces(db, trx);
    try {
      return await work(trx);
    } finally {
      await trx.raw('set foreign_key_checks = 1');
    }
  });
}
