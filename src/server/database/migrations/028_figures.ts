import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** How tables grow, by day, and which reads of forms took long: what the keeper's page tells. May be run again. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('table_size', (t) => {
      t.string('table_key', 48).notNullable();
      t.date('day').notNullable();
      t.bigInteger('records').unsigned().notNullable();
      t.bigInteger('bytes').unsigned().notNullable();
      t.primary(['table_key', 'day']);
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('slow_read', (t) => {
      t.string('form_key', 48).notNullable();
      /** The grid in which the field stands; empty for the form itself. */
      t.string('scope', 48).notNullable();
      t.string('field', 48).notNullable();
      t.string('kind', 10).notNullable();
      t.integer('n').unsigned().notNullable();
      /** Milliseconds. */
      t.integer('longest').unsigned().notNullable();
      t.dateTime('last_at', { precision: 3 }).notNullable();
      t.primary(['form_key', 'scope', 'field', 'kind']);
    }),
  );
}

export async function down(knex: Knex): Promise<void> {
  await knex.schema.dropTableIfExists('table_size');
  await knex.schema.dropTableIfExists('slow_read');
}
