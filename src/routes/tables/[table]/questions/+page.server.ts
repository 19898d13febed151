import { formulasRead } from '$lib/core/plan/formula-sites';
import { reachedBy } from '$lib/core/plan/reach';
import { fail } from '$lib/core/problems';
import { factsFor } from '$lib/server/access/house';
import { askerAt } from '$lib/server/access/let-in';
import { tableFrom } from '$lib/server/catalog/tables';
import type { Asker } from '$lib/server/access/sessions';
import type { House } from '$lib/core/table/definition';
import type { Database } from '$lib/server/database/connection';
import { forPage } from '$lib/server/page';
import { openForForm } from '$lib/server/records/open-form';
import { askingForms, lookOverQuestions } from '$lib/server/records/question-rows';
import { mostAsked } from '$lib/server/records/questions';
import { readRecords } from '$lib/server/records/read';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params, url, depends, locals }) =>
  forPage(async () => {
    depends('unisor:records');
    const db = await readyDatabase();
    const tables = await locals.house();
    const table = tableFrom(tables, params.table);
    const asking = await askingForms(db, table.key);
    const form = asking.find(({ key }) => key === url.searchParams.get('form')) ?? asking[0];
    if (!form) return fail('asked_by_none', { table: table.title }, 404);
    const looked = await lookOverQuestions(db, tables, form);
    const sort = [looked.by, looked.order].flatMap((path) =>
      path === null ? [] : [{ path, descending: false }],
    );
    const asker = askerAt({ locals });
    return {
      ...{ looked, asking: asking.map(({ key, title }) => ({ key, title })) },
      page: await readRecords(db, tables, table, { filter: [], sort, limit: mostAsked }),
      sheet: asker.rights.form(form.key, 'fill')
        ? await sheetOf(db, tables, form.key, asker)
        : null,
      form: { key: form.key, title: form.title },
    };
  });

/** The form with its questions, as it is to be filled in now. */
async function sheetOf(db: Database, all: House, form: string, { person }: Asker) {
  const { plan, edition, sets, asked } = await openForForm(db, form, {}, all);
  const tables = reachedBy(asked, all.whole);
  return {
    ...{ plan, edition, sets, tables },
    person: await factsFor(db, all.whole, plan, person),
    formulas: formulasRead(asked, tables),
  };
}
