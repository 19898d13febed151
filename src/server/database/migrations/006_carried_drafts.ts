import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** A new record that begins with carried columns has a draft of its own beside that of an empty one. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.alterTable('entry_draft', (t) => {
      t.string('carried', 190).notNullable().defaultTo('');
    }),
  );
  // In one statement: there is always a primary key.
  await knex.raw(
    'alter table entry_draft drop primary key, add primary key (person, form_key, record_id, carried)',
  );
}

/** Drafts belong to people: they are never taken away. */
export async function down(): Promise<void> {
  throw new Error('Drafts cannot be taken back.');
}
