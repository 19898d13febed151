import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** Structure changes know the definition that they were made for; what passes through is told once. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.alterTable('structure_change', (t) => {
      // The revision of the table's definition that the change was made for; 0 where there was none.
      t.integer('base_revision').unsigned().notNullable().defaultTo(0);
    }),
  );
  await repeatable(
    knex,
    knex.schema.alterTable('table_def', (t) => {
      t.integer('revision').unsigned().notNullable().defaultTo(1);
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('through_save', (t) => {
      t.string('submission', 64).primary();
      t.string('form_key', 48).notNullable();
      t.string('person', 100).notNullable();
      t.dateTime('at', { precision: 3 }).notNullable().defaultTo(knex.fn.now(3));
      // Whether the outside system has taken it.
      t.boolean('done').notNullable().defaultTo(false);
    }),
  );
}

/** What was told is never forgotten. */
export async function down(): Promise<void> {
  throw new Error('Leases cannot be taken back.');
}
