import { say } from '$lib/core/words/say';
import { randomUUID } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import type { Knex } from 'knex';
import { fail } from '$lib/core/problems';
import { log } from '../log';
import type { Database } from './connection';
import { retrying } from './transaction';

/** A lease lasts so long after it was renewed last. Milliseconds. */
const lasts = 15_000;
const renewEvery = 4000;
const lookEvery = 150;

/**
 * The right to do some long work alone, among all processes on the database, until it is given back or not
 * renewed any more. Whoever takes it over gets a higher fencing number; a transaction that finishes the work
 * checks that its own still stands, so that an owner who was only slow changes nothing any more.
 */
export class Lease {
  readonly #timer: ReturnType<typeof setInterval>;

  constructor(
    readonly db: Database,
    readonly name: string,
    readonly owner: string,
    readonly fence: number,
  ) {
    this.#timer = setInterval(() => void this.#renew(), renewEvery);
    this.#timer.unref();
  }

  /**
   * Fails unless the lease still stands; it cannot be taken over before the transaction ends. It is written, so that
   * this holds on every node of a cluster.
   */
  async hold(trx: Knex.Transaction): Promise<void> {
    const { name, owner, fence } = this;
    const held = await leases(this.db, trx)
      .where({ name, owner, fence })
      .update({ held_until: until(this.db) });
    if (held === 0) fail('lease_lost', { work: workOf(name) }, 503);
  }

  /** Gives the lease back. What is named after one piece of work is not needed any more. */
  async end(): Promise<void> {
    clearInterval(this.#timer);
    const once = /^(through|invitation) /.test(this.name);
    await retrying(async () =>
      once
        ? this.#own().delete()
        : this.#own().update({ held_until: this.db.knex.fn.now(3), owner: '' }),
    );
  }

  async #renew(): Promise<void> {
    try {
      await this.#own().update({ held_until: until(this.db) });
    } catch (error) {
      log.warn({ err: error, lease: this.name }, 'a lease could not be renewed');
    }
  }

  #own() {
    const { owner, fence } = this;
    return leases(this.db).where({ name: this.name, owner, fence });
  }
}

/** Makes the table of leases, on which the first migration hangs already. */
export async function makeLeases(db: Database): Promise<void> {
  await db.knex.raw(
    `create table if not exists ??.lease (
      name varchar(100) not null primary key,
      owner varchar(40) not null,
      fence bigint unsigned not null,
      held_until datetime(3) not null
    ) engine=innodb`,
    [db.catalog],
  );
}

/** Takes a lease that nobody holds; `null` where somebody does. */
export async function takeLease(db: Database, name: string): Promise<Lease | null> {
  const owner = randomUUID();
  return retrying(async () => {
    const [made] = await db.knex.raw(
      `insert ignore into ??.lease (name, owner, fence, held_until) values (?, ?, 1, ?)`,
      [db.catalog, name, owner, until(db)],
    );
    if (Number(made.affectedRows) === 1) return new Lease(db, name, owner, 1);
    const taken = await leases(db)
      .where({ name })
      .where('held_until', '<=', db.knex.fn.now(3))
      .update({ owner, fence: db.knex.raw('fence + 1'), held_until: until(db) });
    if (taken === 0) return null;
    const row = await leases(db).where({ name, owner }).first('fence');
    return row ? new Lease(db, name, owner, Number(row.fence)) : null;
  });
}

/** Does something while holding a lease; waits for it so long (in milliseconds), then fails. */
export async function underLease<T>(
  db: Database,
  name: string,
  wait: number,
  work: (lease: Lease) => Promise<T>,
): Promise<T> {
  const end = Date.now() + wait;
  let lease = await takeLease(db, name);
  while (!lease) {
    if (Date.now() >= end) return fail('lease_held', { work: workOf(name) }, 409);
    await pause(lookEvery);
    lease = await takeLease(db, name);
  }
  try {
    return await work(lease);
  } finally {
    await lease.end();
  }
}

/** What the holder of a lease is doing, as people say it. The first word of a lease's name says the kind of work. */
function workOf(name: string): string {
  const [kind, what = ''] = name.split(' ');
  switch (kind) {
    case 'structure':
      return say('changing a table');
    case 'import':
      return say(`importing rows into ${what}`);
    case 'migrations':
      return say('updating Unisor');
    case 'outbox':
      return say(`sending to ${what}`);
    default:
      return say('saving the same form');
  }
}

function until({ knex }: Database) {
  return knex.raw('date_add(now(3), interval ? microsecond)', [lasts * 1000]);
}

/** The leases that are held. */
export function leases(db: Database, runner: Knex | Knex.Transaction = db.knex) {
  return runner('lease').withSchema(db.catalog);
}
