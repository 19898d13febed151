import { loadEdition } from '$lib/server/catalog/forms';
import { loadTables } from '$lib/server/catalog/tables';
import { forPage } from '$lib/server/page';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params }) =>
  forPage(async () => {
    const db = await readyDatabase();
    const { form, plan, edition } = await loadEdition(db, params.form);
    return { form, plan, edition, tables: [...(await loadTables(db)).values()] };
  });
