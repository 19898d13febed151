import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** A change of structure can give a table or a column another key, in plans and other definitions too. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.alterTable('structure_change', (t) => {
      t.json('renaming').nullable();
    }),
  );
}

/** What was renamed stays renamed. */
export async function down(knex: Knex): Promise<void> {
  await knex.schema.alterTable('structure_change', (t) => {
    t.dropColumn('renaming');
  });
}
