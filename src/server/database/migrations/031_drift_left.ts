import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** Findings that are left as they are, over all runs; what was repaired is judged anew, and needs no mark. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('drift_left', (t) => {
      t.string('form_key', 48).notNullable();
      t.bigInteger('row_record').unsigned().notNullable();
      // What was found of it, by its hash: another finding is told again.
      t.specificType('finding', 'binary(32)').notNullable();
      t.string('by_person', 100).notNullable();
      t.dateTime('left_at', { precision: 3 }).notNullable();
      t.primary(['form_key', 'row_record', 'finding']);
    }),
  );
  if (await knex.schema.hasColumn('drift_found', 'mended')) {
    await knex('drift_found').where({ mended: true }).delete();
  }
  await knex.raw('alter table drift_found drop column if exists mended');
}

export async function down(knex: Knex): Promise<void> {
  await knex.raw(
    'alter table drift_found add column if not exists mended boolean not null default false',
  );
  await knex.schema.dropTableIfExists('drift_left');
}
