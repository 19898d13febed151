import { houseOf } from '$lib/core/table/sources';
import { loadDraft, publishedForms } from '$lib/server/catalog/forms';
import { typedElsewhere } from '$lib/server/catalog/lists';
import { forPage } from '$lib/server/page';
import { countTables } from '$lib/server/records/count';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params, depends, locals }) =>
  forPage(async () => {
    depends('unisor:tables');
    const db = await readyDatabase();
    const { form, plan } = await loadDraft(db, params.form);
    const seen = await locals.house();
    const tables = seen.whole;
    const counts = [...(await countTables(db, seen))];
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
