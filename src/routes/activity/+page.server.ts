import { listInvitations } from '$lib/server/access/invitations';
import { loadTables } from '$lib/server/catalog/tables';
import { listActivity } from '$lib/server/records/journal';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

const pageSize = 50;

export const load: PageServerLoad = async ({ url }) => {
  const db = await readyDatabase();
  const before = pageOf(url.searchParams.get('before'));
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

/** The number of the row before which a page begins; none where that is no number of a row. */
function pageOf(text: string | null): number | undefined {
  const before = Number(text);
  return Number.isSafeInteger(before) && before > 0 ? before : undefined;
}
