import { houseOf } from '$lib/core/table/sources';
import { loadDraft, publishedForms } from '$lib/server/catalog/forms';
import { typedElsewhere } from '$lib/server/catalog/lists';
import { loadTables } from '$lib/server/catalog/tables';
import { forPage } from '$lib/server/page';
import { countTables } from '$lib/server/records/count';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params, depends }) =>
  forPage(async () => {
    depends('unisor:tables');
    const db = await readyDatabase();
    const { form, plan } = await loadDraft(db, params.form);
    const tables = await loadTables(db);
    const counts = [...(await countTables(db, tables))];
    const typed = new Map(await typedElsewhere(db, form.key));
    const forms = (await publishedForms(db)).map(({ key, title }) => ({ key, title }));
    return {
      form,
      plan,
      tables: houseOf(tables, { ...tables, typed }),
      counts,
      forms,
    };
  });
