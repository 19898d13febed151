import { formHead } from '$lib/server/catalog/forms';
import { lastDrift } from '$lib/server/keeping/drift';
import { driftFound } from '$lib/server/keeping/drift-found';
import { forPage } from '$lib/server/page';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params, locals, depends }) =>
  forPage(async () => {
    depends('unisor:drift');
    const db = await readyDatabase();
    const form = await formHead(db, params.form);
    const run = await lastDrift(db, params.form);
    const found = run ? await driftFound(db, await locals.house(), run) : [];
    return { form, run, found };
  });
