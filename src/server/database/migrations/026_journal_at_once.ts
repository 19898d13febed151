import type { Knex } from 'knex';

/**
 * A save is written down at once, at its end: only its first row bears the submission, and the receipt is what the rows
 * say. The shorter of two indexes that begin alike goes. May be run again.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`alter table journal
    modify submission varchar(64) null,
    drop column if exists receipt,
    drop index if exists journal_table_key_record_id_index`);
}

/** What was done is never forgotten. */
export async function down(): Promise<void> {
  throw new Error('The journal cannot be taken back.');
}
