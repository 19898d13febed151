import { listInvitations } from '$lib/server/access/invitations';
import { loadTables } from '$lib/server/catalog/tables';
import { listActivity } from '$lib/server/records/journal';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

const pageSize = 50;

export const load: PageServerLoad = async ({ url }) => {
  const db = await readyDatabase();
  const before = Number(url.searchParams.get('before')) || undefined;
  const rows = await listActivity(db, { limit: pageSize, before });
  const titles = [...(await loadTables(db)).values()].map(({ key, title }) => ({ key, title }));
  const invitations = before ? [] : await listInvitations(db);
  return {
    rows,
    titles,
    invitations,
    next: rows.length === pageSize ? rows.at(-1)?.id : undefined,
  };
};
