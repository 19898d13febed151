import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** Backups that were made, or tried. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('backup_made', (t) => {
      t.bigIncrements('id');
      t.dateTime('at', { precision: 3 }).notNullable();
      t.string('file', 500).notNullable();
      t.bigInteger('bytes').unsigned();
      // Milliseconds.
      t.integer('took').unsigned().notNullable();
      // good: restored beside and compared. unchecked: written only.
      t.enum('state', ['good', 'unchecked', 'failed']).notNullable();
      t.string('reason', 400);
      t.index('at');
    }),
  );
}

export async function down(knex: Knex): Promise<void> {
  await knex.schema.dropTableIfExists('backup_made');
}
