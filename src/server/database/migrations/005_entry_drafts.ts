import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** What a person has typed into a form and not saved yet. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('entry_draft', (t) => {
      t.string('person', 100).notNullable();
      t.string('form_key', 48).notNullable();
      // The record that is changed; 0 for a new one.
      t.bigInteger('record_id').unsigned().notNullable();
      t.json('content').notNullable();
      t.dateTime('at', { precision: 3 }).notNullable();
      t.primary(['person', 'form_key', 'record_id']);
    }),
  );
}

/** Drafts belong to people: they are never taken away. */
export async function down(): Promise<void> {
  throw new Error('Drafts cannot be taken back.');
}
