import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** Runs over the stored records of a form, and what was found of them. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema
      .createTable('drift_run', (t) => {
        t.bigIncrements('id');
        t.string('form_key', 48).notNullable().index();
        // 0 for the draft.
        t.integer('edition').unsigned().notNullable();
        t.enum('state', ['running', 'stopped', 'done', 'failed']).notNullable();
        t.string('reason', 400);
        // The last record that was judged, and how many have been.
        t.bigInteger('at_record').unsigned().notNullable().defaultTo(0);
        t.integer('judged').unsigned().notNullable().defaultTo(0);
        t.integer('total').unsigned().notNullable();
        t.string('by_person', 100).notNullable();
        t.dateTime('begun_at', { precision: 3 }).notNullable();
        t.dateTime('ended_at', { precision: 3 });
      })
      .createTable('drift_found', (t) => {
        t.bigIncrements('id');
        t.bigInteger('run').unsigned().notNullable();
        t.foreign('run').references('drift_run.id').onDelete('CASCADE');
        t.bigInteger('record').unsigned().notNullable();
        // The grid and the record of its row; '' and the record itself otherwise.
        t.string('grid', 48).notNullable();
        t.bigInteger('row_record').unsigned().notNullable();
        t.string('field', 48).notNullable();
        t.string('kind', 20).notNullable();
        t.string('message', 500).notNullable();
        t.json('value').notNullable();
        // Null where nothing can be said of what would come out.
        t.json('now');
        t.boolean('mended').notNullable().defaultTo(false);
        t.index(['run', 'kind', 'grid', 'field']);
      }),
  );
}

export async function down(knex: Knex): Promise<void> {
  await knex.schema.dropTableIfExists('drift_found');
  await knex.schema.dropTableIfExists('drift_run');
}
