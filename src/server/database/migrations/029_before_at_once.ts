import type { Knex } from 'knex';

/** What a column was is noted with its change, so that a crash between the two does not lose the way back. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw('alter table structure_change add column if not exists column_before json null');
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw('alter table structure_change drop column if exists column_before');
}
