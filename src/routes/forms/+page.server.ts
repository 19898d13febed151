import { askerAt } from '$lib/server/access/let-in';
import { listEntryDrafts } from '$lib/server/records/entry-drafts';
import { withRecordNames } from '$lib/server/records/read';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals }) => {
  const db = await readyDatabase();
  const tables = await locals.house();
  const { rights } = askerAt({ locals });
  const forms = (await locals.forms()).filter(({ key }) => rights.anyForm(key));
  const drafts = await listEntryDrafts(db, locals.asker?.person.name ?? '');
  return {
    forms,
    drafts: await withRecordNames(db, tables, forms, drafts),
    tables: [...tables.values()].map(({ key, title }) => ({ key, title })),
  };
};
