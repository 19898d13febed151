import { loadEdition } from '$lib/server/catalog/forms';
import { forPage } from '$lib/server/page';
import { lookAtAnswers } from '$lib/server/records/answers-looked-at';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params, url, locals }) =>
  forPage(async () => {
    const db = await readyDatabase();
    const { form, plan } = await loadEdition(db, params.form);
    const looked = await lookAtAnswers(
      await locals.reads(),
      await locals.house(),
      plan,
      url.searchParams,
    );
    return { form: form.key, title: plan.title, ...looked };
  });
