import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** What a package has brought so far that is not in to the end yet; it goes again where that was cut off. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('coming_in', (t) => {
      t.increments('id');
      t.enum('kind', ['table', 'list', 'form', 'connection', 'query']).notNullable();
      t.string('part_key', 63).notNullable();
      t.string('by_person', 100).notNullable();
    }),
  );
}

export async function down(knex: Knex): Promise<void> {
  await knex.schema.dropTableIfExists('coming_in');
}
