import { waysBack } from '$lib/server/catalog/retype';
import { forPage } from '$lib/server/page';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params }) =>
  forPage(async () => ({ waysBack: await waysBack(await readyDatabase(), params.table) }));
