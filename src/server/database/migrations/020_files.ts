import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** Files: what is known of each, its pieces by their content, and the columns in which it stands. */
export async function up(knex: Knex): Promise<void> {
  const hash = (t: Knex.CreateTableBuilder, name: string) =>
    t.specificType(name, 'binary(32)').notNullable();
  const id = (t: Knex.CreateTableBuilder) =>
    t.specificType('file', 'char(32) character set ascii').notNullable();
  await repeatable(
    knex,
    knex.schema
      .createTable('file', (t) => {
        id(t).primary();
        t.string('name', 200).notNullable();
        t.bigInteger('size').unsigned().notNullable();
        // So many bytes have come.
        t.bigInteger('got').unsigned().notNullable().defaultTo(0);
        // By content, once all have come.
        t.string('type', 100).nullable();
        t.string('handed_by', 100).notNullable().index();
        t.dateTime('handed_at').notNullable();
      })
      .createTable('file_piece', (t) => {
        hash(t, 'hash').primary();
        t.specificType('bytes', 'mediumblob').notNullable();
      })
      .createTable('file_part', (t) => {
        id(t);
        t.bigInteger('at').unsigned().notNullable();
        t.integer('length').unsigned().notNullable();
        hash(t, 'hash');
        t.primary(['file', 'at']);
        t.foreign('file').references('file.file').onDelete('CASCADE');
        t.foreign('hash').references('file_piece.hash');
      })
      .createTable('file_use', (t) => {
        id(t);
        t.string('table_key', 48).notNullable();
        t.string('column_key', 48).notNullable();
        t.primary(['file', 'table_key', 'column_key']);
        t.foreign('file').references('file.file').onDelete('CASCADE');
      }),
  );
}

/** Files are data: they are never taken away. */
export async function down(): Promise<void> {
  throw new Error('Files cannot be taken back.');
}
