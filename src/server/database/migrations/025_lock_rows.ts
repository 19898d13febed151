import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/**
 * What saves on several nodes of a cluster write beside their records, so that two which could break a limit together
 * run into one another: a row for each record (or table) that a limit depends on, by its hash.
 */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('lock_row', (t) => {
      t.integer('slot').unsigned().notNullable().primary();
      t.bigInteger('n').unsigned().notNullable();
    }),
  );
}

export async function down(knex: Knex): Promise<void> {
  await knex.schema.dropTableIfExists('lock_row');
}
