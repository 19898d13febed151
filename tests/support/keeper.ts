import { keeperKey } from '../../src/core/access/role';
import { listAccounts, makeAccount } from '../../src/server/access/accounts';
import { beginSession, sessionCookie } from '../../src/server/access/sessions';
import type { Database } from '../../src/server/database/connection';

/** The session of a keeper, as the header `cookie` carries it; makes the keeper where there is none. */
export async function keeperCookie(db: Database, shown = 'designer'): Promise<string> {
  return sessionOf(db, shown, [keeperKey]);
}

/** The session of somebody with these roles, as the header `cookie` carries it. */
export async function sessionOf(
  db: Database,
  shown: string,
  roles: string[],
  link: { table: string; record: number } | null = null,
): Promise<string> {
  const known = (await listAccounts(db)).find((account) => account.shown === shown);
  const name = shown.toLowerCase().replace(/[^a-z]/g, '.');
  const wish = { name, shown, email: '', roles, link };
  const account = known ?? (await makeAccount(db, wish, { demo: true }));
  const about = { way: 'link' as const, agent: 'tests', address: '127.0.0.1' };
  const secret = await beginSession(db, db.knex, account.id, about);
  return `${sessionCookie}=${secret}`;
}
