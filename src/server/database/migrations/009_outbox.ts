import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** What saves have to tell outside systems: written with them, delivered afterwards. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('outbox', (t) => {
      t.bigIncrements('id');
      t.string('submission', 64).notNullable();
      t.string('form_key', 48).notNullable();
      t.string('connection_key', 48).notNullable();
      t.string('method', 10).notNullable();
      t.string('address', 1000).notNullable();
      t.json('body').notNullable();
      // Carried by every try, so that the system takes it once.
      t.string('idempotency_key', 80).notNullable().unique();
      // waiting: to be tried at `next_at`. failed: not tried any more. dropped: given up by a person.
      t.enum('state', ['waiting', 'sent', 'failed', 'dropped']).notNullable().defaultTo('waiting');
      t.integer('tries').unsigned().notNullable().defaultTo(0);
      t.dateTime('next_at', { precision: 3 }).notNullable().defaultTo(knex.fn.now(3));
      t.string('reason', 400);
      t.string('by_person', 100).notNullable();
      t.dateTime('made_at', { precision: 3 }).notNullable().defaultTo(knex.fn.now(3));
      t.dateTime('sent_at', { precision: 3 });
      t.index(['state', 'next_at']);
    }),
  );
}

/** What has to be told is data: it is never taken away. */
export async function down(): Promise<void> {
  throw new Error('The outbox cannot be taken back.');
}
