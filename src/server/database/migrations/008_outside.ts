import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** Connections to outside systems, the queries asked of them, and how they answered lately. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('connection', (t) => {
      t.string('connection_key', 48).primary();
      t.json('definition').notNullable();
      // Encrypted; never leaves the server.
      t.text('secret');
      t.string('changed_by', 100).notNullable();
      t.dateTime('changed_at').notNullable().defaultTo(knex.fn.now());
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('query', (t) => {
      t.string('query_key', 48).primary();
      t.string('connection_key', 48).notNullable().index();
      t.json('definition').notNullable();
      t.string('changed_by', 100).notNullable();
      t.dateTime('changed_at').notNullable().defaultTo(knex.fn.now());
      t.foreign('connection_key').references('connection.connection_key');
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('outside_asked', (t) => {
      t.bigIncrements('id');
      t.string('connection_key', 48).notNullable();
      t.string('query_key', 48);
      t.dateTime('at', { precision: 3 }).notNullable().defaultTo(knex.fn.now(3));
      t.integer('took').unsigned().notNullable();
      // Why it failed; null where it answered.
      t.string('failed', 400);
      t.index(['connection_key', 'id']);
    }),
  );
  await knex('setting').insert({ name: 'outside_hosts', value: '' }).onConflict().ignore();
}

/** Connections are data: they are never taken away. */
export async function down(): Promise<void> {
  throw new Error('Connections cannot be taken back.');
}
