import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** Questions as they were asked, and of which sheets. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('asked_set', (t) => {
      // What it holds says its name (SHA-256): the same questions stand here once, however many sheets ask them.
      t.specificType('hash', 'char(43) character set ascii collate ascii_bin').primary();
      t.json('content').notNullable();
      // When somebody was last asked so.
      t.dateTime('given_at').notNullable();
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('sheet', (t) => {
      t.string('table_key', 48).notNullable();
      t.bigInteger('record_id').unsigned().notNullable();
      t.string('answers_key', 48).notNullable();
      t.specificType('hash', 'char(43) character set ascii collate ascii_bin').notNullable();
      t.primary(['table_key', 'record_id', 'answers_key']);
      t.foreign('hash').references('asked_set.hash');
    }),
  );
}

/** How questions were asked is data: it is never taken away. */
export async function down(): Promise<void> {
  throw new Error('Questions as they were asked cannot be taken back.');
}
