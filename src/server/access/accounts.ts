import type { Knex } from 'knex';
import { z } from 'zod';
import { accountStates, type AccountWish, type Person } from '$lib/core/access/person';
import { keeperKey } from '$lib/core/access/role';
import { fail } from '$lib/core/problems';
import type { Database, Runner } from '../database/connection';
import { duplicateIndex } from '../database/errors';
import { parseJson } from '../database/json';
import { inTransaction } from '../database/transaction';
import { hashOf, newSecret } from './hashes';
import { bumpAccess, readRoles } from './roles';

/** An account as keepers see it. */
export interface Account extends Person {
  state: (typeof accountStates)[number];
  demo: boolean;
  hasPassword: boolean;
  hasCode: boolean;
  madeAt: string;
  seenAt: string | null;
  /** As they have chosen; `null`: as their browser says. */
  language: string | null;
  zone: string | null;
}

const rowSchema = z.object({
  id: z.number(),
  name: z.string(),
  shown: z.string(),
  email: z.string(),
  state: z.enum(accountStates),
  roles: z.unknown(),
  link_table: z.string().nullable(),
  link_record: z.coerce.number().nullable(),
  password: z.string().nullable(),
  otp_secret: z.string().nullable(),
  demo: z.coerce.boolean(),
  made_at: z.string(),
  language: z.string().nullable(),
  zone: z.string().nullable(),
});
type AccountRow = z.infer<typeof rowSchema>;

/** A row of whatever belongs to an account, with the person of it. */
export const personRow = rowSchema.pick({
  ...{ id: true, name: true, shown: true, email: true, roles: true },
  ...{ link_table: true, link_record: true },
});
const accountColumns = Object.keys(rowSchema.shape);

const rolesSchema = z.array(z.string());

/** The person of a row of accounts. */
export function personOf(
  row: Pick<AccountRow, 'id' | 'name' | 'shown' | 'email' | 'roles' | 'link_table' | 'link_record'>,
): Person {
  const { id, name, shown, email, link_table: table, link_record: record } = row;
  return {
    ...{ id, name, shown, email },
    roles: rolesSchema.parse(parseJson(row.roles)),
    link: table !== null && record !== null ? { table, record: Number(record) } : null,
  };
}

/** All accounts, by the names that people know. */
export async function listAccounts(db: Database): Promise<Account[]> {
  const rows = await db
    .knex('account as a')
    .withSchema(db.catalog)
    .leftJoin('session as s', 's.account_id', 'a.id')
    .groupBy('a.id')
    .orderBy('a.shown')
    .select(accountColumns.map((column) => `a.${column}`))
    .max({ seen_at: 's.seen_at' });
  return rows.map((row: unknown) => ({
    ...accountOf(rowSchema.parse(row)),
    seenAt: moment(z.object({ seen_at: z.string().nullable() }).parse(row).seen_at),
  }));
}

/** One account; fails with 404. */
export async function accountAt(db: Database, id: number): Promise<Account> {
  const row = await db.knex('account').withSchema(db.catalog).where({ id }).first();
  return row ? accountOf(rowSchema.parse(row)) : fail('unknown_account', {}, 404);
}

function accountOf(row: AccountRow): Account {
  return {
    ...personOf(row),
    state: row.state,
    ...{ demo: row.demo, language: row.language, zone: row.zone },
    hasPassword: row.password !== null,
    hasCode: row.otp_secret !== null,
    madeAt: moment(row.made_at) ?? '',
    seenAt: null,
  };
}

/** A moment of the database in ISO 8601. */
export function moment(text: string | null): string | null {
  return text === null ? null : `${text.replace(' ', 'T').slice(0, 19)}Z`;
}

/** Makes an account. Without a password, its person sets one by a link; see {@link welcomeLink}. */
export async function makeAccount(
  db: Database,
  wish: AccountWish,
  more: { password?: string; demo?: boolean; first?: boolean } = {},
): Promise<Account> {
  const id = await inTransaction(db, async (trx) => {
    await refuseUnknownRoles(db, trx, wish.roles);
    if (more.first) await refuseSecondFirst(db, trx);
    const active = more.password !== undefined || more.demo === true;
    const row = { ...rowOf(wish), state: active ? 'active' : 'invited' };
    return named(wish, async () => {
      const [made] = await trx('account')
        .withSchema(db.catalog)
        .insert({ ...row, password: more.password ?? null, demo: more.demo ?? false });
      await bumpAccess(db, trx);
      return Number(made);
    });
  });
  return accountAt(db, id);
}

/** Changes what a keeper says of an account. The last keeper stays one. */
export async function changeAccount(
  db: Database,
  id: number,
  change: Partial<AccountWish> & { state?: 'active' | 'locked' },
): Promise<Account> {
  const before = await accountAt(db, id);
  await inTransaction(db, async (trx) => {
    const { state, ...wish } = change;
    if (wish.roles) await refuseUnknownRoles(db, trx, wish.roles);
    const now = { ...wishOf(before), ...wish };
    if (!now.roles.includes(keeperKey) || state === 'locked') await refuseLastKeeper(db, trx, id);
    await named(now, async () => {
      await accounts(db, trx)
        .where({ id })
        .update({ ...rowOf(now), ...(state ? { state } : {}) });
      if ([...now.roles].sort().join() !== [...before.roles].sort().join())
        await accounts(db, trx).where({ id }).increment('turn');
      await bumpAccess(db, trx);
    });
    // Whoever is locked out is out at once; changed rights are followed by the next request.
    if (state === 'locked') await endAll(db, trx, id);
  });
  return accountAt(db, id);
}

/** Changes what people say of themselves. */
export async function changeOwn(
  db: Database,
  id: number,
  change: { email?: string; language?: string | null; zone?: string | null },
): Promise<Account> {
  if (Object.keys(change).length > 0) await accounts(db, db.knex).where({ id }).update(change);
  return accountAt(db, id);
}

/** Removes an account with its sessions and tokens; what it wrote keeps the name. */
export async function removeAccount(db: Database, id: number): Promise<void> {
  await accountAt(db, id);
  await inTransaction(db, async (trx) => {
    await refuseLastKeeper(db, trx, id);
    await accounts(db, trx).where({ id }).delete();
    await bumpAccess(db, trx);
  });
}

/** A link by which the person of an account sets their password; earlier ones open nothing any more. */
export async function welcomeLink(db: Database, id: number): Promise<string> {
  await accountAt(db, id);
  const secret = newSecret();
  const ends = new Date(Date.now() + welcomeLasts).toISOString().slice(0, 19).replace('T', ' ');
  await inTransaction(db, async (trx) => {
    await trx('welcome').withSchema(db.catalog).where({ account_id: id }).delete();
    await trx('welcome')
      .withSchema(db.catalog)
      .insert({ hash: hashOf(secret), account_id: id, ends_at: ends });
  });
  return secret;
}

/** Milliseconds: a week. */
const welcomeLasts = 7 * 86_400_000;

/** The account that a link of welcome is for; fails where it opens nothing. */
export async function welcomed(
  db: Database,
  secret: string,
  runner: Runner = db.knex,
): Promise<Account> {
  const row = await runner('welcome')
    .withSchema(db.catalog)
    .where({ hash: hashOf(secret) })
    .where('ends_at', '>', runner.raw('utc_timestamp()'))
    .first('account_id');
  const account = row ? await accountAt(db, Number(row.account_id)) : null;
  if (!account || account.state === 'locked') return fail('welcome_bad', {}, 404);
  return account;
}

/** Sets a password, ends all sessions that were begun with another one, and takes the links away. */
export async function setPassword(
  db: Database,
  runner: Runner,
  id: number,
  password: string,
): Promise<void> {
  await accounts(db, runner).where({ id }).update({ password, state: 'active' });
  await runner('welcome').withSchema(db.catalog).where({ account_id: id }).delete();
  await endAll(db, runner, id);
}

/** Whether there is nobody yet, but for the people of the demo. */
export async function hasNoPeople(db: Database, runner: Runner = db.knex): Promise<boolean> {
  return !(await accounts(db, runner).where({ demo: false }).first('id'));
}

/** The addresses of e-mail of people, by the name they sign in with; those who have one. */
export async function addressesOf(
  db: Database,
  runner: Runner,
  names: readonly string[],
): Promise<Map<string, string>> {
  const found = await accounts(db, runner).whereIn('name', names).select('name', 'email');
  const rows = z.array(rowSchema.pick({ name: true, email: true })).parse(found);
  return new Map(rows.flatMap(({ name, email }) => (email === '' ? [] : [[name, email]])));
}

function endAll(db: Database, runner: Runner, id: number) {
  return runner('session').withSchema(db.catalog).where({ account_id: id }).delete();
}

function accounts(db: Database, runner: Runner) {
  return runner('account').withSchema(db.catalog);
}

function wishOf({ name, shown, email, roles, link }: Person): AccountWish {
  return { name, shown, email, roles: [...roles], link };
}

function rowOf({ name, shown, email, roles, link }: AccountWish) {
  return {
    ...{ name, shown, email, roles: JSON.stringify(roles) },
    link_table: link?.table ?? null,
    link_record: link?.record ?? null,
  };
}

async function named<T>({ name, shown }: AccountWish, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    const index = duplicateIndex(error);
    if (index === null) throw error;
    const byName = index.includes('name');
    return fail('name_taken', { given: byName ? name : shown }, 409, byName ? 'name' : 'shown');
  }
}

/** Of two set-ups at once one makes the first keeper. */
async function refuseSecondFirst(db: Database, trx: Knex.Transaction): Promise<void> {
  await trx('setting')
    .withSchema(db.catalog)
    .where({ name: 'access_revision' })
    .forUpdate()
    .first();
  if (!(await hasNoPeople(db, trx))) fail('set_up_closed', {}, 409);
}

async function refuseUnknownRoles(
  db: Database,
  runner: Runner,
  roles: readonly string[],
): Promise<void> {
  const known = await readRoles(db, runner);
  const unknown = roles.find((key) => !known.has(key));
  if (unknown !== undefined) fail('unknown_role', { role: unknown }, 422, 'roles');
}

async function refuseLastKeeper(db: Database, trx: Knex.Transaction, id: number): Promise<void> {
  const keepers = (await accounts(db, trx)
    .whereRaw('json_contains(roles, json_quote(?))', [keeperKey])
    .where({ state: 'active' })
    .forUpdate()
    .select('id')) as { id: number }[];
  if (keepers.length === 1 && keepers[0]?.id === id) fail('last_keeper', {}, 409);
}
