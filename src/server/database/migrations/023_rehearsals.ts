import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** Rehearsals of forms; what an edition was published with, and why over one that failed. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema
      .createTable('rehearsal_body', (t) => {
        t.string('hash', 43).primary();
        t.text('body', 'longtext').notNullable();
      })
      .createTable('rehearsal', (t) => {
        t.increments('id');
        t.bigInteger('form_id').unsigned().notNullable();
        t.foreign('form_id').references('form.id').onDelete('CASCADE');
        t.string('name', 200).notNullable();
        t.string('hash', 43).notNullable();
        t.integer('revision').unsigned().notNullable();
        t.string('kept_by', 100).notNullable();
        t.dateTime('kept_at', { precision: 3 }).notNullable();
        t.unique(['form_id', 'name']);
      })
      .alterTable('edition', (t) => {
        // The names of its rehearsals and what they were.
        t.json('rehearsals');
        t.string('published_over', 1000);
      }),
  );
}

export async function down(knex: Knex): Promise<void> {
  await knex.schema.alterTable('edition', (t) => t.dropColumns('rehearsals', 'published_over'));
  await knex.schema.dropTableIfExists('rehearsal');
  await knex.schema.dropTableIfExists('rehearsal_body');
}
