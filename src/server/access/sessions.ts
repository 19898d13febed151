import type { Cookies } from '@sveltejs/kit';
import { z } from 'zod';
import type { Person } from '$lib/core/access/person';
import { Rights } from '$lib/core/access/rights';
import { fail } from '$lib/core/problems';
import type { Database, Runner } from '../database/connection';
import type { OwnReading } from '../reader';
import { moment, personOf, personRow } from './accounts';
import { hashOf, newId, newSecret } from './hashes';
import { loadRoles } from './roles';

/** The cookie of a session; no script reads it, and no other page's form sends it. */
export const sessionCookie = 'unisor_session';

/** A session that nobody uses ends after so many minutes; any ends after so many days. */
const idleMinutes = 12 * 60;
const longestDays = 14;
/** How exactly it is noted when a session was last used. Seconds. */
const noted = 60;

/** How somebody signed in. */
export const ways = ['password', 'passkey', 'organisation', 'demo', 'link'] as const;
export type Way = (typeof ways)[number];

/** Who asks: the person, what they may do, and by what they are known here. */
export interface Asker {
  person: Person;
  /** The account that has signed in: another one where a keeper borrows somebody's eyes. */
  owner: number;
  rights: Rights;
  /** The session; `null` where a program asks with a token. */
  session: string | null;
  /** Whose eyes a keeper borrows; nothing can be written then. */
  looksAs: { keeper: string } | null;
  /** In which language, and where, whoever signed in wants to read; a program says so itself. */
  reads: OwnReading | null;
  demo: boolean;
  /** Another secret of the session, where the person's roles have changed: the browser is to have it. */
  turned: string | null;
  /** At which revision the catalog was when they were let in. */
  catalog: string;
}

const rowSchema = personRow.extend({
  session: z.string(),
  owner: z.number(),
  idle: z.coerce.number(),
  turned: z.coerce.boolean(),
  demo: z.coerce.boolean(),
  keeper: z.string().nullable(),
  language: z.string().nullable(),
  zone: z.string().nullable(),
  revision: z.string(),
  catalog: z.string(),
});

/** Who has this session, in one query; `null` where it is none, or has ended. */
export async function askerOf(db: Database, secret: string): Promise<Asker | null> {
  const c = `\`${db.catalog}\``;
  const sql = `select a.id, a.name, a.shown, a.email, a.roles, a.link_table, a.link_record,
      s.id as session, k.id as owner, timestampdiff(second, s.seen_at, utc_timestamp()) as idle, k.demo as demo,
      s.turn <> k.turn and s.hash = ? as turned,
      k.language, k.zone,
      if(s.looks_as is null, null, k.shown) as keeper,
      (select value from ${c}.setting where name = 'access_revision') as revision,
      (select value from ${c}.setting where name = 'catalog_revision') as catalog
    from ${c}.session s
    join ${c}.account k on k.id = s.account_id and k.state = 'active'
    join ${c}.account a on a.id = coalesce(s.looks_as, k.id)
    where (s.hash = ? or (s.hash_before = ? and s.turned_at > utc_timestamp() - interval ${turning} second))
      and s.seen_at > utc_timestamp() - interval ${idleMinutes} minute
      and s.made_at > utc_timestamp() - interval ${longestDays} day`;
  const hash = hashOf(secret);
  const [[found]] = await db.knex.raw(sql, [hash, hash, hash]);
  if (!found) return null;
  const row = rowSchema.parse(found);
  if (row.idle >= noted) {
    await sessions(db)
      .where({ hash })
      .update({ seen_at: db.knex.raw('utc_timestamp()') });
  }
  const person = personOf(row);
  return {
    ...{ person, owner: row.owner },
    rights: await rightsOf(db, person.roles, row.revision),
    session: row.session,
    turned: row.turned ? await turn(db, hash) : null,
    looksAs: row.keeper === null ? null : { keeper: row.keeper },
    demo: row.demo,
    catalog: row.catalog,
    reads: { language: row.language, zone: row.zone },
  };
}

/** The secret before opens so long still, for what the browser has sent already. Seconds. */
const turning = 30;

/** Gives a session another secret; `null` where another request has just done that. */
async function turn(db: Database, hash: string): Promise<string | null> {
  const secret = newSecret();
  const now = `select turn from \`${db.catalog}\`.account where id = session.account_id`;
  const turned = await sessions(db)
    .where({ hash })
    .update({
      ...{ hash: hashOf(secret), hash_before: hash },
      turned_at: db.knex.raw('utc_timestamp()'),
      turn: db.knex.raw(`(${now})`),
    });
  return turned === 1 ? secret : null;
}

/** What people with these roles may do. */
export async function rightsOf(
  db: Database,
  keys: readonly string[],
  revision: string,
): Promise<Rights> {
  const roles = await loadRoles(db, revision);
  const about = keys.join();
  const here = rightsKnown.get(roles) ?? new Map<string, Rights>();
  rightsKnown.set(roles, here);
  const rights = here.get(about) ?? new Rights(keys.flatMap((key) => roles.get(key) ?? []));
  here.set(about, rights);
  return rights;
}

/** Rights made before, as long as the roles are as they were. */
const rightsKnown = new WeakMap<object, Map<string, Rights>>();

/** Begins a session; gives the secret that the cookie carries. */
export async function beginSession(
  db: Database,
  runner: Runner,
  account: number,
  about: { way: Way; agent: string; address: string },
): Promise<string> {
  const secret = newSecret();
  const { way, agent, address } = about;
  await runner('session')
    .withSchema(db.catalog)
    .insert({
      ...{ hash: hashOf(secret), id: newId(), account_id: account, way },
      turn: runner('account').withSchema(db.catalog).where({ id: account }).select('turn'),
      agent: agent.slice(0, 300),
      address: address.slice(0, 60),
    });
  return secret;
}

/** Hands the session to the browser. */
export function giveCookie(cookies: Cookies, secret: string, secure: boolean): void {
  cookies.set(sessionCookie, secret, {
    ...{ path: '/', httpOnly: true, sameSite: 'lax', secure },
    maxAge: longestDays * 86_400,
  });
}

/** A session as its person, and keepers, see it. */
export interface SessionLine {
  id: string;
  madeAt: string;
  seenAt: string;
  agent: string;
  address: string;
  way: Way;
}

const lineSchema = z.object({
  id: z.string(),
  made_at: z.string(),
  seen_at: z.string(),
  agent: z.string(),
  address: z.string(),
  way: z.enum(ways),
});

/** The sessions of an account that have not ended, the last used first. */
export async function listSessions(db: Database, account: number): Promise<SessionLine[]> {
  const rows: unknown[] = await sessions(db)
    .where({ account_id: account })
    .whereRaw(`seen_at > utc_timestamp() - interval ${idleMinutes} minute`)
    .whereRaw(`made_at > utc_timestamp() - interval ${longestDays} day`)
    .orderBy('seen_at', 'desc');
  return rows.map((row) => {
    const { made_at, seen_at, ...line } = lineSchema.parse(row);
    return { ...line, madeAt: moment(made_at) ?? '', seenAt: moment(seen_at) ?? '' };
  });
}

/** Ends a session of an account; it opens nothing from then on. */
export async function endSession(db: Database, account: number, id: string): Promise<void> {
  const ended = await sessions(db).where({ account_id: account, id }).delete();
  if (ended === 0) fail('unknown_session', {}, 404);
}

/** Ends all sessions of an account but one. */
export async function endOthers(
  db: Database,
  account: number,
  stays: string | null,
): Promise<void> {
  const all = sessions(db).where({ account_id: account });
  await (stays === null ? all : all.whereNot({ id: stays })).delete();
}

/** Lets a keeper see with somebody's eyes, or with their own again (`null`). */
export async function lookAs(db: Database, session: string, account: number | null): Promise<void> {
  await sessions(db).where({ id: session }).update({ looks_as: account });
}

function sessions(db: Database) {
  return db.knex('session').withSchema(db.catalog);
}
