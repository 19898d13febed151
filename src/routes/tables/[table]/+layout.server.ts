import { withReferred } from '$lib/core/plan/reach';
import { formsNaming } from '$lib/server/catalog/plan-uses';
import { tableFrom } from '$lib/server/catalog/tables';
import { impactOf, referencesTo } from '$lib/server/catalog/usage';
import { forPage } from '$lib/server/page';
import { askingAmong } from '$lib/server/records/question-rows';
import { readyDatabase } from '$lib/server/start';
import type { LayoutServerLoad } from './$types';

export const load: LayoutServerLoad = ({ params, locals }) =>
  forPage(async () => {
    const db = await readyDatabase();
    const tables = await locals.house();
    const table = tableFrom(tables, params.table);
    const [about, { whole }] = [{ kind: 'table' as const, name: table.key }, tables];
    const naming = await formsNaming(db, about, await locals.forms(), whole);
    const referring = referencesTo(tables, table.key);
    return {
      table,
      asked: askingAmong(naming, table.key).length > 0,
      // Those whose records refer to it stand on the page of a record.
      tables: withReferred(tables, [table.key, ...referring.map(({ table: from }) => from.key)]),
      listTitles: [...tables.lists.values()].map(({ key, title }) => ({ key, title })),
      forms: await impactOf(db, { table: table.key }, naming, whole),
      referring: referring.map(({ table: from, column }) => ({
        key: from.key,
        title: from.title,
        column: column.label,
      })),
    };
  });
