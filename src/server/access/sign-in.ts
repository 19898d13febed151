import { RateLimiterMySQL } from 'rate-limiter-flexible';
import { z } from 'zod';
import type { Person } from '$lib/core/access/person';
import { fail } from '$lib/core/problems';
import type { Database } from '../database/connection';
import { inTransaction } from '../database/transaction';
import { settings } from '../settings';
import { noteEvent } from './activity';
import { hasNoPeople, makeAccount, setPassword, welcomed } from './accounts';
import { isCodeOf } from './codes';
import { hashed, isPassword, refuseWeak } from './passwords';
import { beginSession, type Way } from './sessions';

/** From where somebody signs in. */
export interface From {
  agent: string;
  address: string;
}

export const signInSchema = z.strictObject({
  name: z.string().max(100),
  password: z.string().max(1000),
  /** A one-time code, or a recovery code, where the account asks for one. */
  code: z.string().max(40).optional(),
});

const rowSchema = z.object({
  id: z.number(),
  shown: z.string(),
  state: z.string(),
  password: z.string().nullable(),
  otp_secret: z.string().nullable(),
});

/**
 * Signs in with name and password, and with a code where one is asked for; gives the session's secret. An unknown
 * name and a wrong password are answered alike, and after the same time.
 */
export async function signIn(
  db: Database,
  { name, password, code }: z.infer<typeof signInSchema>,
  from: From,
): Promise<string> {
  await countAttempt(db, name, from.address);
  const found = await db.knex('account').withSchema(db.catalog).where({ name }).first();
  const row = found ? rowSchema.parse(found) : null;
  const right = await isPassword(row?.password ?? null, password);
  if (!row || !right || row.state === 'invited') return refused(db, name, from);
  if (row.state === 'locked') fail('account_locked', {}, 403);
  if (row.otp_secret !== null) {
    if (code === undefined || code.trim() === '') return fail('code_needed', {}, 401, 'code');
    if (!(await isCodeOf(db, row.id, code))) {
      await noteEvent(db, { kind: 'sign_in_refused', person: row.shown, address: from.address });
      return fail('code_wrong', {}, 401, 'code');
    }
  }
  await forgiveName(db, name);
  return signedIn(db, { id: row.id, shown: row.shown }, 'password', from);
}

async function refused(db: Database, name: string, from: From): Promise<never> {
  await noteEvent(db, { kind: 'sign_in_refused', person: name, address: from.address });
  return fail('sign_in_refused', {}, 401);
}

/** Lets somebody in who has shown who they are. */
export async function signedIn(
  db: Database,
  { id, shown }: Pick<Person, 'id' | 'shown'>,
  way: Way,
  from: From,
): Promise<string> {
  const secret = await beginSession(db, db.knex, id, { way, ...from });
  await forgiveAddress(db, from.address);
  await noteEvent(db, { kind: 'signed_in', person: shown, about: way, address: from.address });
  return secret;
}

/** Signs in as one of the people of the demo: only where the start command has loaded it, on this machine. */
export async function signInDemo(db: Database, name: string, from: From): Promise<string> {
  if (!isDemo(from.address)) fail('not_allowed', {}, 403);
  const row = await db
    .knex('account')
    .withSchema(db.catalog)
    .where({ name, demo: true, state: 'active' })
    .first('id', 'shown');
  if (!row) return fail('unknown_account', {}, 404);
  return signedIn(db, { id: Number(row.id), shown: String(row.shown) }, 'demo', from);
}

/** Whether people of the demo sign in by one click. */
export function isDemo(address: string): boolean {
  return settings().UNISOR_DEMO === '1' && /^(127\.|::1$|::ffff:127\.)/.test(address);
}

/** The people of the demo, for the page of signing in. */
export async function demoPeople(
  db: Database,
): Promise<{ name: string; shown: string; roles: string[] }[]> {
  const rows: unknown[] = await db
    .knex('account')
    .withSchema(db.catalog)
    .where({ demo: true, state: 'active' })
    .orderBy('id')
    .select('name', 'shown', 'roles');
  const schema = z.object({ name: z.string(), shown: z.string(), roles: z.unknown() });
  return rows.map((row) => {
    const { roles, ...person } = schema.parse(row);
    const keys: unknown = typeof roles === 'string' ? JSON.parse(roles) : roles;
    return { ...person, roles: z.array(z.string()).parse(keys) };
  });
}

export const setUpSchema = z.strictObject({
  code: z.string().max(100),
  name: z.string(),
  shown: z.string(),
  password: z.string().max(1000),
});

/** Makes the first keeper of a house in which nobody is yet, for whoever has the code of the start command. */
export async function setUp(
  db: Database,
  { code, password, ...wish }: z.infer<typeof setUpSchema> & { name: string; shown: string },
  from: From,
): Promise<string> {
  if (!(await hasNoPeople(db))) fail('set_up_closed', {}, 409);
  await countAttempt(db, 'set-up', from.address);
  const expected = settings().UNISOR_SETUP_CODE;
  if (expected.length < 8 || code.trim() !== expected) fail('set_up_code', {}, 403, 'code');
  refuseWeak(password, [wish.name, wish.shown]);
  const kept = await hashed(password);
  const keeper = { ...wish, email: '', roles: ['keeper'], link: null };
  const made = await makeAccount(db, keeper, { password: kept, first: true });
  await noteEvent(db, { kind: 'account_made', person: made.shown, about: made.shown });
  return signedIn(db, made, 'password', from);
}

/** Sets the password of an account by its link of welcome, and signs in. */
export async function welcome(
  db: Database,
  secret: string,
  password: string,
  from: From,
): Promise<string> {
  await countAddress(db, from.address);
  const account = await welcomed(db, secret);
  refuseWeak(password, [account.name, account.shown, account.email]);
  const kept = await hashed(password);
  await inTransaction(db, async (trx) => {
    await welcomed(db, secret, trx);
    await setPassword(db, trx, account.id, kept);
  });
  await noteEvent(db, { kind: 'password_set', person: account.shown, address: from.address });
  return signedIn(db, account, 'link', from);
}

/** Changes one's own password; every other session ends. */
export async function changePassword(
  db: Database,
  person: Person,
  given: { current: string; password: string },
  from: From,
): Promise<string> {
  await refuseWrongPassword(db, person, given.current, from, 'current');
  refuseWeak(given.password, [person.name, person.shown, person.email]);
  const next = await hashed(given.password);
  await inTransaction(db, (trx) => setPassword(db, trx, person.id, next));
  await noteEvent(db, { kind: 'password_set', person: person.shown, address: from.address });
  return beginSession(db, db.knex, person.id, { way: 'password', ...from });
}

/** Refuses a change of how somebody signs in by whoever does not know their password. */
export async function refuseWrongPassword(
  db: Database,
  { id, name }: Person,
  password: string,
  from: From,
  path = 'password',
): Promise<void> {
  await countAttempt(db, name, from.address);
  const row = await db.knex('account').withSchema(db.catalog).where({ id }).first('password');
  const kept = typeof row?.password === 'string' ? row.password : null;
  if (kept !== null && !(await isPassword(kept, password))) fail('password_wrong', {}, 422, path);
  await forgiveName(db, name);
  await forgiveAddress(db, from.address);
}

const limiters = new WeakMap<Database, { name: RateLimiterMySQL; address: RateLimiterMySQL }>();

/** So many attempts for one name from anywhere, and from one address for any names, in a quarter of an hour. */
const mostForName = 10;
const mostFromAddress = 50;
const quarter = 900;

function limitersOf(db: Database) {
  const known = limiters.get(db);
  if (known) return known;
  const store = {
    ...{ storeClient: db.knex, storeType: 'knex', dbName: db.catalog, tableName: 'throttle' },
    ...{ tableCreated: true, clearExpiredByTimeout: false, duration: quarter },
  };
  const made = {
    name: new RateLimiterMySQL({ ...store, keyPrefix: 'name', points: mostForName }),
    address: new RateLimiterMySQL({ ...store, keyPrefix: 'from', points: mostFromAddress }),
  };
  limiters.set(db, made);
  return made;
}

/** Counts an attempt before it is looked at; it holds over all processes, as it stands in the database. */
export async function countAttempt(db: Database, name: string, address: string): Promise<void> {
  await countAddress(db, address);
  await counted(limitersOf(db).name, nameKey(name));
}

/** Counts an attempt that says no name: with a key, a link, or an answer from elsewhere. */
export async function countAddress(db: Database, address: string): Promise<void> {
  await counted(limitersOf(db).address, address);
}

async function counted(limiter: RateLimiterMySQL, key: string): Promise<void> {
  try {
    await limiter.consume(key);
  } catch (error) {
    if (error instanceof Error) throw error;
    fail('sign_in_throttled', {}, 429);
  }
}

/** Who has shown who they are begins anew. */
async function forgiveName(db: Database, name: string): Promise<void> {
  await limitersOf(db).name.delete(nameKey(name));
}

async function forgiveAddress(db: Database, address: string): Promise<void> {
  await limitersOf(db).address.delete(address);
}

function nameKey(name: string): string {
  return Buffer.from(name.normalize('NFKC').toLowerCase().slice(0, 60)).toString('base64url');
}
