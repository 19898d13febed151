import { listAccounts } from '$lib/server/access/accounts';
import { askerAt } from '$lib/server/access/let-in';
import { readRoles } from '$lib/server/access/roles';
import { shownRecords } from '$lib/server/records/read';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals }) => {
  const db = await readyDatabase();
  const { whole } = await locals.house();
  const accounts = await listAccounts(db);
  const linked = accounts.map(async (account) => {
    const table = whole.get(account.link?.table ?? '');
    const id = account.link?.record ?? 0;
    const lines = table ? await shownRecords(db, db.knex, whole, table, [id]) : new Map();
    return { ...account, stands: lines.get(id) ?? '' };
  });
  return {
    accounts: await Promise.all(linked),
    roles: [...(await readRoles(db, db.knex)).values()].map(({ key, title }) => ({ key, title })),
    tables: [...whole.values()].map(({ key, title }) => ({ key, title })),
    self: askerAt({ locals }).owner,
  };
};
