import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** Invitations of guests to one record, and the saves that used them. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('invitation', (t) => {
      t.string('id', 22).primary();
      t.string('form_key', 48).notNullable();
      // A record of the form's table, or the key of an outside record that the form passes through to.
      t.bigInteger('record_id').unsigned();
      t.string('through_key', 200);
      t.string('note', 200).notNullable().defaultTo('');
      t.dateTime('ends_at').notNullable();
      t.integer('uses').unsigned().notNullable();
      t.dateTime('revoked_at');
      t.string('made_by', 100).notNullable();
      t.dateTime('made_at').notNullable().defaultTo(knex.fn.now());
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('invitation_use', (t) => {
      t.string('invitation_id', 22).notNullable();
      t.string('submission', 64).notNullable();
      t.dateTime('at').notNullable().defaultTo(knex.fn.now());
      t.primary(['invitation_id', 'submission']);
      t.foreign('invitation_id').references('invitation.id');
    }),
  );
}

/** Who was invited is data: it is never taken away. */
export async function down(): Promise<void> {
  throw new Error('Invitations cannot be taken back.');
}
