import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** How often forms are filled in, by day: so that no page looks through the journal. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('form_use', (t) => {
      t.string('form_key', 48).notNullable();
      t.date('day').notNullable();
      t.integer('n').unsigned().notNullable();
      t.dateTime('last_at', { precision: 3 }).notNullable();
      t.string('last_by', 100).notNullable();
      t.primary(['form_key', 'day']);
    }),
  );
  // What the journal tells of the time before.
  await knex.raw(`insert ignore into form_use (form_key, day, n, last_at, last_by)
    select form_key, date(at), count(*), max(at), substring_index(group_concat(by_person order by id desc separator '\\n'), '\\n', 1)
    from journal where submission = save and kind = 'entry' and form_key is not null
    group by form_key, date(at)`);
}

export async function down(knex: Knex): Promise<void> {
  await knex.schema.dropTableIfExists('form_use');
}
