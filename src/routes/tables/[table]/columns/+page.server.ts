import { waysBack } from '$lib/server/catalog/retype';
import { forPage } from '$lib/server/page';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params, locals }) =>
  forPage(async () => ({
    waysBack: await waysBack(await readyDatabase(), params.table),
    // A column may come to refer to any of them.
    tables: [...(await locals.house()).values()],
  }));
