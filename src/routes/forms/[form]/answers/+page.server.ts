import { isLink } from '$lib/core/values/types';
import { loadEdition } from '$lib/server/catalog/forms';
import { forPage } from '$lib/server/page';
import { lookAtAnswers } from '$lib/server/records/answers-looked-at';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params, url, locals }) =>
  forPage(async () => {
    const db = await readyDatabase();
    const { form, plan } = await loadEdition(db, params.form);
    const house = await locals.house();
    const looked = await lookAtAnswers(await locals.reads(), house, plan, url);
    // What the sheets can be filtered by: their table, and those that it refers to.
    const near = house
      .get(plan.table)
      ?.columns.flatMap(({ type }) => (isLink(type) ? [type.table] : []));
    const tables = [...new Set([plan.table, ...(near ?? [])])].flatMap(
      (key) => house.get(key) ?? [],
    );
    return { form: form.key, title: plan.title, tables, ...looked };
  });
