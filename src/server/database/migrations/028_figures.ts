import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** How tables grow, which reads of forms took long, and how stored records fitted, over time. May be run again. */
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
  // How many records did not fit when a run ended: that stays when its findings go.
  await knex.raw('alter table drift_run add column if not exists unfit int unsigned null');
  await knex.raw(`update drift_run r set unfit =
    (select count(distinct f.record) from drift_found f where f.run = r.id)
    where state = 'done' and unfit is null`);
}

export async function down(knex: Knex): Promise<void> {
  await knex.schema.dropTableIfExists('table_size');
  await knex.schema.dropTableIfExists('slow_read');
}
