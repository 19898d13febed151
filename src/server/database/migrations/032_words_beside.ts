import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** How far the words of large tables have come into the tables that hold them, and when they were checked last. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('words_beside', (t) => {
      t.specificType('name', 'char(12)').primary();
      // The words of all records up to this one are there.
      t.bigInteger('upto').unsigned().notNullable().defaultTo(0);
      t.dateTime('checked_at', { precision: 3 }).nullable();
      // So many records stood there otherwise when it was checked last.
      t.integer('mended').unsigned().notNullable().defaultTo(0);
    }),
  );
}

export async function down(knex: Knex): Promise<void> {
  await knex.schema.dropTableIfExists('words_beside');
}
