import { countTables } from '$lib/server/records/count';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals }) => {
  const db = await readyDatabase();
  const tables = await locals.house();
  const counts = await countTables(db, tables);
  return {
    tables: [...tables.values()].map((table) => ({
      ...table,
      records: counts.get(table.key) ?? 0,
    })),
  };
};
