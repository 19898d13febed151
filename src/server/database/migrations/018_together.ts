import type { Knex } from 'knex';

/** A save at a table can do something to several records. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(
    `alter table journal modify kind enum('entry', 'insert', 'update', 'delete', 'import', 'restore', 'undo', 'together') not null`,
  );
}

/** What was done is never forgotten. */
export async function down(): Promise<void> {
  throw new Error('The journal cannot be taken back.');
}
