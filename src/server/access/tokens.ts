import { z } from 'zod';
import { fail } from '$lib/core/problems';
import type { Database } from '../database/connection';
import { moment, personOf, personRow } from './accounts';
import { hashOf, newId, newSecret } from './hashes';
import { readRoles } from './roles';
import { rightsOf, type Asker } from './sessions';

/** With what every token begins, so that one that was lost is recognised. */
const prefix = 'unisor_';

/** A token of a program, as its person sees it. */
export interface TokenLine {
  id: string;
  name: string;
  role: string;
  by: string;
  madeAt: string;
  endsAt: string;
  usedAt: string | null;
}

/** What somebody says when making a token. */
export const tokenSchema = z.strictObject({
  name: z.string().trim().min(1).max(100),
  role: z.string().max(48),
  days: z.number().int().min(1).max(730),
});

const lineSchema = z.object({
  id: z.string(),
  name: z.string(),
  role_key: z.string(),
  shown: z.string(),
  made_at: z.string(),
  ends_at: z.string(),
  used_at: z.string().nullable(),
});

/** Makes a token for one of the roles that its person has; gives the secret, which is kept nowhere. */
export async function makeToken(
  db: Database,
  { person, rights }: Asker,
  { name, role, days }: z.infer<typeof tokenSchema>,
): Promise<{ token: string; id: string }> {
  const known = await readRoles(db, db.knex);
  if (!known.has(role)) fail('unknown_role', { role }, 422, 'role');
  if (!rights.keeps && !person.roles.includes(role)) fail('not_allowed', {}, 403, 'role');
  const token = prefix + newSecret();
  const id = newId();
  const ends = new Date(Date.now() + days * 86_400_000).toISOString();
  await tokens(db).insert({
    ...{ hash: hashOf(token), id, account_id: person.id, name, role_key: role },
    ends_at: ends.slice(0, 19).replace('T', ' '),
  });
  return { token, id };
}

/** The tokens of an account, or of all. */
export async function listTokens(db: Database, account?: number): Promise<TokenLine[]> {
  const query = db
    .knex('access_token as t')
    .withSchema(db.catalog)
    .join('account as a', 'a.id', 't.account_id')
    .orderBy('t.made_at', 'desc')
    .select('t.id', 't.name', 't.role_key', 'a.shown', 't.made_at', 't.ends_at', 't.used_at');
  if (account !== undefined) void query.where({ account_id: account });
  const rows: unknown[] = await query;
  return rows.map((found) => {
    const { id, name, role_key: role, shown: by, ...row } = lineSchema.parse(found);
    return {
      ...{ id, name, role, by },
      madeAt: moment(row.made_at) ?? '',
      endsAt: moment(row.ends_at) ?? '',
      usedAt: moment(row.used_at),
    };
  });
}

/** Ends a token at once; of one's own, or, for a keeper, of anybody. */
export async function endToken(db: Database, id: string, account?: number): Promise<void> {
  const ended = await tokens(db)
    .where(account === undefined ? { id } : { id, account_id: account })
    .delete();
  if (ended === 0) fail('unknown_token', {}, 404);
}

const askerSchema = personRow.extend({
  token: z.string(),
  role_key: z.string(),
  unnoted: z.coerce.boolean(),
  revision: z.string(),
  catalog: z.string(),
});

/** Who asks with a token: its person, with the one role of the token; `null` where it opens nothing. */
export async function programOf(db: Database, token: string): Promise<Asker | null> {
  if (!token.startsWith(prefix)) return null;
  const hash = hashOf(token);
  const c = `\`${db.catalog}\``;
  const sql = `select a.id, a.name, a.shown, a.email, a.roles, a.link_table, a.link_record,
      t.name as token, t.role_key,
      (t.used_at is null or t.used_at < utc_timestamp() - interval 1 minute) as unnoted,
      (select value from ${c}.setting where name = 'access_revision') as revision,
      (select value from ${c}.setting where name = 'catalog_revision') as catalog
    from ${c}.access_token t join ${c}.account a on a.id = t.account_id and a.state = 'active'
    where t.hash = ? and t.ends_at > utc_timestamp()`;
  const [[found]] = await db.knex.raw(sql, [hash]);
  if (!found) return null;
  const row = askerSchema.parse(found);
  if (row.unnoted)
    await tokens(db)
      .where({ hash })
      .update({ used_at: db.knex.raw('utc_timestamp()') });
  const person = personOf(row);
  // A person who lost a role takes it from their programs as well.
  const has = person.roles.includes(row.role_key) || person.roles.includes('keeper');
  const roles = has ? [row.role_key] : [];
  return {
    person: { ...person, roles, shown: `${person.shown} (${row.token})`.slice(0, 100) },
    owner: person.id,
    rights: await rightsOf(db, roles, row.revision),
    ...{ session: null, turned: null },
    ...{ looksAs: null, reads: null },
    demo: false,
    catalog: row.catalog,
  };
}

function tokens(db: Database) {
  return db.knex('access_token').withSchema(db.catalog);
}
