import { z } from 'zod';
import { conditionSchema, orderSchema, type Condition } from '$lib/core/table/conditions';
import type { Table, Tables } from '$lib/core/table/definition';
import { resolvePath } from '$lib/core/table/paths';
import { isLink } from '$lib/core/values/types';
import { loadTables, tableFrom } from '$lib/server/catalog/tables';
import { forPage } from '$lib/server/page';
import type { Database } from '$lib/server/database/connection';
import { readRecords, shownRecords } from '$lib/server/records/read';
import { parsedParameter } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

const pageSize = 50;

export const load: PageServerLoad = ({ params, url, depends }) =>
  forPage(async () => {
    depends('unisor:records');
    const db = await readyDatabase();
    const tables = await loadTables(db);
    const table = tableFrom(tables, params.table);
    const wish = {
      filter: parsedParameter(url, 'filter', z.array(conditionSchema).max(20), []),
      sort: parsedParameter(url, 'sort', z.array(orderSchema).max(4), []),
      search: url.searchParams.get('search')?.slice(0, 200) ?? '',
      after: url.searchParams.get('after') ?? undefined,
    };
    const began = performance.now();
    const page = await readRecords(db, tables, table, { ...wish, limit: pageSize });
    const filterShown = await Promise.all(
      wish.filter.map((condition) => shownCondition(db, tables, table, condition)),
    );
    return { ...wish, filterShown, page, took: Math.max(1, Math.round(performance.now() - began)) };
  });

/** The records that a condition on a reference compares with, as people know them; otherwise `null`. */
async function shownCondition(
  db: Database,
  tables: Tables,
  table: Table,
  { path, values }: Condition,
): Promise<string | null> {
  const type = resolvePath(tables, table, path)?.column.type;
  const to = type && isLink(type) ? tables.get(type.table) : undefined;
  if (!to || values.length === 0) return null;
  const lines = await shownRecords(db, db.knex, tables, to, values.map(Number));
  return values.map((id) => lines.get(Number(id)) ?? `#${id}`).join(', ');
}
