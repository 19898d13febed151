import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** The last number given to each column of codes, by year where its pattern has one. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('code_counter', (t) => {
      t.string('table_key', 48).notNullable();
      t.string('column_key', 48).notNullable();
      // 0 where the pattern has no year.
      t.integer('year').unsigned().notNullable();
      t.bigInteger('last').unsigned().notNullable();
      t.primary(['table_key', 'column_key', 'year']);
    }),
  );
}

/** Numbers that were given once are not given again. */
export async function down(): Promise<void> {
  throw new Error('The counters cannot be taken away.');
}
