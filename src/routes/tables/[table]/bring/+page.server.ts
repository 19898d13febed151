import { forPage } from '$lib/server/page';
import type { PageServerLoad } from './$types';

/** Columns of a file may match references to any table. */
export const load: PageServerLoad = ({ locals }) =>
  forPage(async () => ({ tables: [...(await locals.house()).values()] }));
