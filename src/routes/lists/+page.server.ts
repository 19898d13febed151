import { listLists, listUses } from '$lib/server/catalog/lists';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals }) => {
  const db = await readyDatabase();
  const lists = await listLists(db);
  const used = lists.map(async (list) => {
    const uses = await listUses(db, list.key, await locals.house());
    return {
      ...list,
      uses: uses.length,
      records: uses.reduce((sum, use) => sum + use.records, 0),
    };
  });
  return { lists: await Promise.all(used) };
};
