import { listForms } from '$lib/server/catalog/forms';
import { loadTables } from '$lib/server/catalog/tables';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async () => {
  const db = await readyDatabase();
  const tables = [...(await loadTables(db)).values()].map(({ key, title }) => ({ key, title }));
  return { forms: await listForms(db), tables };
};
