import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** Columns that were given another type can be given back the one they had. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('column_before', (t) => {
      t.string('table_key', 48).notNullable();
      t.string('column_key', 48).notNullable();
      // The column as it was; its values stand beside it in the table.
      t.json('definition').notNullable();
      // The newest row of the journal by then: what came later has changed values since.
      t.bigInteger('journal_id').unsigned().notNullable();
      t.primary(['table_key', 'column_key']);
    }),
  );
  await repeatable(
    knex,
    knex.schema.alterTable('structure_change', (t) => {
      // A question that has an answer once the statement has had its effect; such a statement is run once only.
      t.text('done_when');
    }),
  );
}

/** What a column was is data: it is never taken away. */
export async function down(): Promise<void> {
  throw new Error('What columns were cannot be taken back.');
}
