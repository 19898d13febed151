import { listForms } from '$lib/server/catalog/forms';
import { loadTables } from '$lib/server/catalog/tables';
import { countTables } from '$lib/server/records/count';
import { listActivity } from '$lib/server/records/journal';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async () => {
  const db = await readyDatabase();
  const tables = await loadTables(db);
  const counts = await countTables(db, tables);
  return {
    forms: await listForms(db),
    tables: [...tables.values()].map((table) => ({
      ...table,
      records: counts.get(table.key) ?? 0,
    })),
    activity: await listActivity(db, { limit: 6 }),
  };
};
