import { isLink } from '$lib/core/values/types';
import { formHead } from '$lib/server/catalog/forms';
import { askerAt } from '$lib/server/access/let-in';
import { driftByForm } from '$lib/server/keeping/figures';
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
    const house = await locals.house();
    const found = run ? await driftFound(db, house, run) : [];
    // What findings can be replaced by: values of their columns, and records that these refer to.
    const near = found.flatMap(({ column }) =>
      column && isLink(column.type) ? (house.get(column.type.table) ?? []) : [],
    );
    const { rights } = askerAt({ locals });
    const designed = (await locals.forms()).filter(({ key }) => rights.form(key, 'design'));
    const drifts = await driftByForm(db, designed);
    return { form, run, found, tables: [...new Set(near)], drifts };
  });
