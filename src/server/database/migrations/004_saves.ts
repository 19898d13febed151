import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** The journal says of each record what was done to it, in which save, and which version it got. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.alterTable('journal', (t) => {
      // The submission of the save to which the row belongs.
      t.string('save', 64).nullable().index();
      t.enum('action', ['insert', 'update', 'delete']).nullable();
      t.integer('record_version').unsigned().nullable();
      t.index(['table_key', 'record_id', 'record_version'], 'journal_versions');
    }),
  );
  await knex.raw(
    `alter table journal modify kind enum('entry', 'insert', 'update', 'delete', 'import', 'restore', 'undo') not null`,
  );
  await knex.raw(
    `update journal set save = submission, action = case kind when 'entry' then 'insert' when 'insert' then 'insert' when 'update' then 'update' when 'delete' then 'delete' end`,
  );
}

/** What was done is never forgotten. */
export async function down(): Promise<void> {
  throw new Error('The journal cannot be taken back.');
}
