import { listInvitations } from '$lib/server/access/invitations';
import { listForms } from '$lib/server/catalog/forms';
import { loadTables } from '$lib/server/catalog/tables';
import { listSaves } from '$lib/server/records/saves';
import { withRecordNames } from '$lib/server/records/read';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

const pageSize = 50;

export const load: PageServerLoad = async ({ url }) => {
  const db = await readyDatabase();
  const before = pageOf(url.searchParams.get('before'));
  const tables = await loadTables(db);
  const saves = await listSaves(db, tables, { limit: pageSize, before });
  const forms = await listForms(db);
  return {
    saves,
    tables: [...tables.values()].map(({ key, title }) => ({ key, title })),
    forms: forms.map(({ key, title }) => ({ key, title })),
    invitations: before ? [] : await withRecordNames(db, tables, forms, await listInvitations(db)),
    next: saves.length === pageSize ? saves.at(-1)?.id : undefined,
  };
};

/** The number of the row before which a page begins; none where that is no number of a row. */
function pageOf(text: string | null): number | undefined {
  const before = Number(text);
  return Number.isSafeInteger(before) && before > 0 ? before : undefined;
}
