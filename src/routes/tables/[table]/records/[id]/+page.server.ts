import { loadTables, tableFrom } from '$lib/server/catalog/tables';
import { forPage } from '$lib/server/page';
import { historyOf } from '$lib/server/records/history';
import { readRecord, shownRecord } from '$lib/server/records/read';
import { formsFor, referringTo } from '$lib/server/records/referring';
import { recordId } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params, depends }) =>
  forPage(async () => {
    depends('unisor:record');
    const db = await readyDatabase();
    const tables = await loadTables(db);
    const table = tableFrom(tables, params.table);
    const id = recordId(params.id, table.title);
    const record = await readRecord(db, db.knex, tables, table, id);
    return {
      record,
      line: (await shownRecord(db, db.knex, tables, table, id)) ?? '',
      history: await historyOf(db, tables, table, record),
      fillable: await formsFor(db, table.key),
      referring: await referringTo(db, tables, table, id),
    };
  });
