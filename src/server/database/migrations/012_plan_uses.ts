import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** What each draft (edition 0) and each edition of a form names of the house; filled when it is first asked for. */
export async function up(knex: Knex): Promise<void> {
  await repeatable(
    knex,
    knex.schema.createTable('plan_use', (t) => {
      t.bigInteger('form_id').unsigned().notNullable();
      t.integer('edition').unsigned().notNullable();
      t.string('kind', 10).notNullable();
      t.string('name', 100).notNullable();
      t.primary(['form_id', 'edition', 'kind', 'name']);
      t.index(['kind', 'name'], 'plan_use_named');
    }),
  );
}

export async function down(knex: Knex): Promise<void> {
  await knex.schema.dropTableIfExists('plan_use');
}
