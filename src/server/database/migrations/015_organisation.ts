import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** By what an organisation's own sign-in knows the people of accounts. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('account_subject', (t) => {
      // Who says so, and as whom: both only ever compared as they are.
      t.specificType('issuer', 'varchar(255) character set ascii collate ascii_bin').notNullable();
      t.specificType('subject', 'varchar(255) character set ascii collate ascii_bin').notNullable();
      t.integer('account_id').unsigned().notNullable();
      t.dateTime('made_at').notNullable().defaultTo(knex.fn.now());
      t.primary(['issuer', 'subject']);
      // An account is one person's.
      t.unique(['issuer', 'account_id']);
      t.foreign('account_id').references('account.id').onDelete('CASCADE');
    }),
  );
}

/** Who is who is data: it is never taken away. */
export async function down(): Promise<void> {
  throw new Error('Accounts cannot be taken back.');
}
