import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** Invitations that let anybody add records through a form. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.alterTable('invitation', (t) => {
      t.boolean('adds').notNullable().defaultTo(false);
      t.integer('per_hour').unsigned();
      t.string('message', 500).notNullable().defaultTo('');
    }),
  );
}

/** Who was invited is data: it is never taken away. */
export async function down(): Promise<void> {
  throw new Error('Public links cannot be taken back.');
}
