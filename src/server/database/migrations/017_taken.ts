import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** How many records forms have taken that may take only so many. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('form_taken', (t) => {
      t.string('form_key', 48).notNullable();
      // `''` for all of them together.
      t.string('person', 100).notNullable();
      t.integer('taken').unsigned().notNullable();
      t.primary(['form_key', 'person']);
    }),
  );
}

/** How often something was filled in is data: it is never taken away. */
export async function down(): Promise<void> {
  throw new Error('What forms have taken cannot be taken back.');
}
