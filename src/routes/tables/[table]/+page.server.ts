import type { Condition } from '$lib/core/table/conditions';
import { columnOf, type Table, type House } from '$lib/core/table/definition';
import { resolvePath } from '$lib/core/table/paths';
import { plainView, viewSchema, type View } from '$lib/core/table/view';
import { isLink } from '$lib/core/values/types';
import { tableFrom } from '$lib/server/catalog/tables';
import { forPage } from '$lib/server/page';
import type { Database } from '$lib/server/database/connection';
import { readRecords, shownRecords } from '$lib/server/records/read';
import { readTotals } from '$lib/server/records/totals';
import { parsedParameter } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

const pageSize = 50;

export const load: PageServerLoad = ({ params, url, depends, locals }) =>
  forPage(async () => {
    depends('unisor:records');
    const db = await readyDatabase();
    const tables = await locals.house();
    const table = tableFrom(tables, params.table);
    const { shape } = viewSchema;
    const named = table.views?.find((kept) => kept.key === url.searchParams.get('view'));
    const given = named ?? plainView;
    const view: View = {
      filter: parsedParameter(url, 'filter', shape.filter, given.filter),
      sort: parsedParameter(url, 'sort', shape.sort, given.sort),
      group: url.searchParams.get('group') ?? given.group,
      totals: parsedParameter(url, 'totals', shape.totals, given.totals),
      thresholds: parsedParameter(url, 'marks', shape.thresholds, given.thresholds),
    };
    const group = columnOf(table, view.group ?? '')?.key ?? null;
    const wish = {
      filter: view.filter,
      search: url.searchParams.get('search')?.slice(0, 200) ?? '',
      after: url.searchParams.get('after') ?? undefined,
    };
    // Groups stand together: their column comes first in the order.
    const grouped = group === null ? [] : [{ path: group, descending: false }];
    const sort = [...grouped, ...view.sort.filter(({ path }) => path !== group)];
    const page = await readRecords(db, tables, table, { ...wish, sort, limit: pageSize });
    const shown = group === null ? [] : page.records.map(({ values }) => values[group] ?? null);
    const totals = await readTotals(db, tables, table, { ...view, ...wish, group }, [
      ...new Set(shown),
    ]);
    const filterShown = await Promise.all(
      wish.filter.map((condition) => shownCondition(db, tables, table, condition)),
    );
    return {
      ...wish,
      view: { ...view, group },
      totals,
      filterShown,
      page,
    };
  });

/** The records that a condition on a reference compares with, as people know them; otherwise `null`. */
async function shownCondition(
  db: Database,
  tables: House,
  table: Table,
  { path, values }: Condition,
): Promise<string | null> {
  const type = resolvePath(tables, table, path)?.column.type;
  const to = type && isLink(type) ? tables.get(type.table) : undefined;
  if (!to || values.length === 0) return null;
  const lines = await shownRecords(db, db.knex, tables, to, values.map(Number));
  return values.map((id) => lines.get(Number(id)) ?? `#${id}`).join(', ');
}
