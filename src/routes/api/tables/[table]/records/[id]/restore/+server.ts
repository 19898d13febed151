import { restoreRequest } from '$lib/core/contract/requests';
import { tableFrom } from '$lib/server/catalog/tables';
import { restoreRecord } from '$lib/server/records/history';
import { answering, readBody, recordId } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const wish = await readBody(request, restoreRequest);
  const db = await readyDatabase();
  const tables = await locals.house();
  const table = tableFrom(tables, params.table);
  const id = recordId(params.id, table.title);
  return restoreRecord(db, tables, table, { id, ...wish }, locals.person.name);
});
