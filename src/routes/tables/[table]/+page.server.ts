import type { Condition } from '$lib/core/table/conditions';
import { unseenRecord } from '$lib/core/words/unseen';
import type { Table, House } from '$lib/core/table/definition';
import { resolvePath } from '$lib/core/table/paths';
import { isLink } from '$lib/core/values/types';
import { tableFrom } from '$lib/server/catalog/tables';
import { forPage } from '$lib/server/page';
import type { Database } from '$lib/server/database/connection';
import { shownRecords } from '$lib/server/records/read';
import { lookAt, openFrom, viewFrom } from '$lib/server/records/viewed';
import type { PageServerLoad } from './$types';

const pageSize = 50;

export const load: PageServerLoad = ({ params, url, depends, locals }) =>
  forPage(async () => {
    depends('unisor:records');
    const db = await locals.reads();
    const tables = await locals.house();
    const table = tableFrom(tables, params.table);
    const view = viewFrom(url, table);
    const search = url.searchParams.get('search')?.slice(0, 200) ?? '';
    const after = url.searchParams.get('after') ?? undefined;
    const open = openFrom(url);
    const looked = await lookAt(db, tables, table, { view, search, after, open, limit: pageSize });
    const filterShown = await Promise.all(
      view.filter.map((condition) => shownCondition(db, tables, table, condition)),
    );
    return { view, search, after, filterShown, ...looked };
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
  return values.map((id) => lines.get(Number(id)) ?? unseenRecord()).join(', ');
}
