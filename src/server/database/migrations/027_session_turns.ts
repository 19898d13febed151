import type { Knex } from 'knex';

/**
 * How often the roles of an account have changed, and under which of these times a session has its secret: it gets
 * another one with changed roles, and the one before opens for a moment still. May be run again.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`alter table account
    add column if not exists turn int unsigned not null default 0`);
  await knex.raw(`alter table session
    add column if not exists turn int unsigned not null default 0,
    add column if not exists hash_before varchar(43) null,
    add column if not exists turned_at datetime null,
    add index if not exists session_hash_before (hash_before)`);
}

/** Who may do what is data: it is never taken away. */
export async function down(): Promise<void> {
  throw new Error('Sessions cannot be taken back.');
}
