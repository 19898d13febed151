import type { Knex } from 'knex';
import { repeatable } from './repeatable';

/** Accounts, roles, sessions, tokens of programs, what people did with them, and the throttle of sign-in. */
export async function up(knex: Knex): Promise<void> {
  await knex('setting').insert({ name: 'access_revision', value: '1' }).onConflict().ignore();
  await repeatable(
    knex,
    knex.schema.createTable('role', (t) => {
      t.string('role_key', 48).primary();
      t.json('definition').notNullable();
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('account', (t) => {
      t.increments('id');
      t.string('name', 60).notNullable().unique();
      // How others know the person; what is written into the journal.
      t.string('shown', 100).notNullable().unique();
      t.string('email', 200).notNullable().defaultTo('');
      t.string('state', 10).notNullable();
      t.string('language', 20);
      t.string('zone', 60);
      t.json('roles').notNullable();
      t.string('link_table', 48);
      t.bigInteger('link_record').unsigned();
      // Argon2id, with its parameters.
      t.string('password', 200);
      t.boolean('demo').notNullable().defaultTo(false);
      t.string('otp_secret', 200);
      // The last step of a one-time code that was taken: each is taken once.
      t.bigInteger('otp_step').unsigned();
      t.json('recovery');
      t.dateTime('made_at').notNullable().defaultTo(knex.fn.now());
    }),
  );
  // Secrets are kept by what can be worked out of them only (SHA-256).
  await repeatable(
    knex,
    knex.schema.createTable('welcome', (t) => {
      t.string('hash', 43).primary();
      t.integer('account_id').unsigned().notNullable();
      t.dateTime('ends_at').notNullable();
      t.foreign('account_id').references('account.id').onDelete('CASCADE');
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('session', (t) => {
      t.string('hash', 43).primary();
      t.string('id', 22).notNullable().unique();
      t.integer('account_id').unsigned().notNullable();
      t.dateTime('made_at').notNullable().defaultTo(knex.fn.now());
      t.dateTime('seen_at').notNullable().defaultTo(knex.fn.now());
      t.string('agent', 300).notNullable().defaultTo('');
      t.string('address', 60).notNullable().defaultTo('');
      t.string('way', 20).notNullable();
      // Whose eyes are borrowed to see what a person sees; nothing is written then.
      t.integer('looks_as').unsigned();
      t.foreign('account_id').references('account.id').onDelete('CASCADE');
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('access_token', (t) => {
      t.string('hash', 43).primary();
      t.string('id', 22).notNullable().unique();
      t.integer('account_id').unsigned().notNullable();
      t.string('name', 100).notNullable();
      t.string('role_key', 48).notNullable();
      t.dateTime('made_at').notNullable().defaultTo(knex.fn.now());
      t.dateTime('ends_at').notNullable();
      t.dateTime('used_at');
      t.foreign('account_id').references('account.id').onDelete('CASCADE');
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('access_event', (t) => {
      t.bigIncrements('id');
      t.dateTime('at').notNullable().defaultTo(knex.fn.now());
      t.string('kind', 30).notNullable();
      t.string('person', 100).notNullable();
      t.string('about', 300).notNullable().defaultTo('');
      t.string('address', 60).notNullable().defaultTo('');
      t.index(['kind', 'id']);
      t.index(['person', 'id']);
    }),
  );
  await repeatable(
    knex,
    knex.schema.createTable('passkey', (t) => {
      t.specificType('id', 'varchar(512) character set ascii collate ascii_bin').primary();
      t.integer('account_id').unsigned().notNullable();
      t.string('name', 100).notNullable();
      t.text('public_key').notNullable();
      t.bigInteger('counter').unsigned().notNullable();
      t.json('transports').notNullable();
      t.dateTime('made_at').notNullable().defaultTo(knex.fn.now());
      t.dateTime('used_at');
      t.foreign('account_id').references('account.id').onDelete('CASCADE');
    }),
  );
  // What a passkey has to sign: each is taken once.
  await repeatable(
    knex,
    knex.schema.createTable('challenge', (t) => {
      t.string('hash', 43).primary();
      t.integer('account_id').unsigned();
      t.dateTime('ends_at').notNullable();
    }),
  );
  // As the limiter wants it.
  await repeatable(
    knex,
    knex.schema.createTable('throttle', (t) => {
      t.string('key', 255).primary();
      t.integer('points').notNullable().defaultTo(0);
      t.bigInteger('expire').unsigned();
    }),
  );
}

/** Who may do what is data: it is never taken away. */
export async function down(): Promise<void> {
  throw new Error('Accounts cannot be taken back.');
}
