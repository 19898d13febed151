import { loadTables, tableFrom } from '$lib/server/catalog/tables';
import { forPage } from '$lib/server/page';
import { listActivity } from '$lib/server/records/journal';
import { readRecord, shownRecord } from '$lib/server/records/read';
import { recordId } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params }) =>
  forPage(async () => {
    const db = await readyDatabase();
    const tables = await loadTables(db);
    const table = tableFrom(tables, params.table);
    const id = recordId(params.id, table.title);
    return {
      record: await readRecord(db, db.knex, tables, table, id),
      line: (await shownRecord(db, db.knex, tables, table, id)) ?? '',
      history: await listActivity(db, { limit: 50, table: table.key, record: id }),
    };
  });
