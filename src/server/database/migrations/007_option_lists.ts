import type { Knex } from 'knex';
import { repeatable } from './repeatable';
import { shippedLists } from '$lib/core/table/shipped-lists';

/** Option lists, those that come with the product among them. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('option_list', (t) => {
      t.string('list_key', 48).primary();
      t.json('definition').notNullable();
      t.integer('revision').unsigned().notNullable().defaultTo(1);
      t.string('changed_by', 100).notNullable();
      t.dateTime('changed_at').notNullable().defaultTo(knex.fn.now());
    }),
  );
  const lists = shippedLists(Intl.supportedValuesOf('timeZone'));
  await knex('option_list')
    .insert(
      lists.map((list) => ({
        list_key: list.key,
        definition: JSON.stringify(list),
        changed_by: 'unisor',
      })),
    )
    .onConflict()
    .ignore();
}

/** Lists are data: they are never taken away. */
export async function down(): Promise<void> {
  throw new Error('Option lists cannot be taken back.');
}
