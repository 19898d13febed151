import { tableFrom } from '$lib/server/catalog/tables';
import { askerAt } from '$lib/server/access/let-in';
import { forPage } from '$lib/server/page';
import { historyOf } from '$lib/server/records/history';
import { readRecord, shownRecord } from '$lib/server/records/read';
import { formsFor, referringTo } from '$lib/server/records/referring';
import { recordId } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params, depends, locals }) =>
  forPage(async () => {
    depends('unisor:record');
    const db = await readyDatabase();
    const reads = await locals.reads();
    const tables = await locals.house();
    const table = tableFrom(tables, params.table);
    const id = recordId(params.id, table.title);
    const record = await readRecord(reads, reads.knex, tables, table, id);
    const mayFill = ({ key }: { key: string }) => askerAt({ locals }).rights.form(key, 'fill');
    const referring = await referringTo(db, tables, table, id);
    return {
      record,
      line: (await shownRecord(reads, reads.knex, tables, table, id)) ?? '',
      history: await historyOf(reads, tables, table, record),
      fillable: (await formsFor(db, table.key)).filter(mayFill),
      referring: referring.map((one) => ({ ...one, forms: one.forms.filter(mayFill) })),
    };
  });
