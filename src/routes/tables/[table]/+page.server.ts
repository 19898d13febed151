import { z } from 'zod';
import { conditionSchema, orderSchema } from '$lib/core/table/conditions';
import { loadTables, tableFrom } from '$lib/server/catalog/tables';
import { forPage } from '$lib/server/page';
import { readRecords } from '$lib/server/records/read';
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
    return { ...wish, page, took: Math.max(1, Math.round(performance.now() - began)) };
  });
