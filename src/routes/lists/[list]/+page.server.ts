import { listFrom, listLists, listUses } from '$lib/server/catalog/lists';
import { forPage } from '$lib/server/page';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params, locals }) =>
  forPage(async () => {
    const db = await readyDatabase();
    const list = await listFrom(db, params.list);
    const uses = await listUses(db, list.key, await locals.house());
    return {
      list,
      lists: await listLists(db),
      uses: uses.map(({ counts, ...use }) => ({ ...use, counts: [...counts] })),
    };
  });
