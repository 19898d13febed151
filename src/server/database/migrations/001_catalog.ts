import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** The catalog: tables and their structure changes, forms and editions, imports, the journal. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('setting', (t) => {
      t.string('name', 64).primary();
      t.text('value').notNullable();
    }),
  );
  await knex('setting').insert({ name: 'catalog_revision', value: '1' }).onConflict().ignore();
  await repeatable(
    knex,
    knex.schema.createTable('table_def', (t) => {
      t.bigIncrements('id');
      t.string('table_key', 48).notNullable().unique();
      t.json('definition').notNullable();
      // loading: made by an import that has not committed yet.
      t.enum('state', ['loading', 'ready']).notNullable();
      t.dateTime('created_at').notNullable().defaultTo(knex.fn.now());
      t.dateTime('updated_at').notNullable().defaultTo(knex.fn.now());
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('structure_change', (t) => {
      t.bigIncrements('id');
      t.string('table_key', 48).notNullable().index();
      t.text('statement', 'longtext');
      // The definition once applied; null drops the table.
      t.json('definition');
      t.enum('goal', ['loading', 'ready', 'dropped']).notNullable();
      t.enum('state', ['intended', 'applied', 'undone']).notNullable().index();
      t.text('reason');
      t.string('by_person', 100).notNullable();
      t.dateTime('at', { precision: 3 }).notNullable().defaultTo(knex.fn.now(3));
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('form', (t) => {
      t.bigIncrements('id');
      t.string('form_key', 48).notNullable().unique();
      t.string('table_key', 48).notNullable().index();
      t.string('title', 200).notNullable();
      t.json('draft').notNullable();
      t.integer('draft_revision').unsigned().notNullable();
      t.string('draft_by', 100).notNullable();
      t.dateTime('draft_at').notNullable().defaultTo(knex.fn.now());
      t.integer('newest_edition').unsigned().notNullable().defaultTo(0);
      // The revision of the draft that was published last.
      t.integer('published_revision').unsigned();
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('edition', (t) => {
      t.bigInteger('form_id')
        .unsigned()
        .notNullable()
        .references('id')
        .inTable('form')
        .onDelete('CASCADE');
      t.integer('number').unsigned().notNullable();
      t.json('plan').notNullable();
      t.string('published_by', 100).notNullable();
      t.dateTime('published_at').notNullable().defaultTo(knex.fn.now());
      t.primary(['form_id', 'number']);
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('import_job', (t) => {
      t.uuid('id').primary();
      t.json('definition').notNullable();
      t.enum('state', ['open', 'done']).notNullable();
      t.string('by_person', 100).notNullable();
      t.dateTime('at').notNullable().defaultTo(knex.fn.now());
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('journal', (t) => {
      t.bigIncrements('id');
      // Unique: a repeated submission finds the first one's receipt.
      t.string('submission', 64).notNullable().unique();
      t.enum('kind', ['entry', 'insert', 'update', 'delete', 'import']).notNullable();
      t.string('form_key', 48).index();
      t.integer('edition').unsigned();
      t.string('table_key', 48).notNullable();
      t.bigInteger('record_id').unsigned();
      t.json('changes').notNullable();
      t.json('receipt');
      t.string('by_person', 100).notNullable();
      t.dateTime('at', { precision: 3 }).notNullable().defaultTo(knex.fn.now(3));
      t.index(['table_key', 'record_id']);
    }),
  );
}

/** The catalog is never taken away: designers' work hangs on it. */
export async function down(): Promise<void> {
  throw new Error('The first migration cannot be undone.');
}
