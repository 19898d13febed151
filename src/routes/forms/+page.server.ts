import { listForms } from '$lib/server/catalog/forms';
import { loadTables } from '$lib/server/catalog/tables';
import { listEntryDrafts } from '$lib/server/records/entry-drafts';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals }) => {
  const db = await readyDatabase();
  const tables = [...(await loadTables(db)).values()].map(({ key, title }) => ({ key, title }));
  const drafts = await listEntryDrafts(db, locals.person.name);
  return { forms: await listForms(db), drafts, tables };
};
