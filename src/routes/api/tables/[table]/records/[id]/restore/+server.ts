import { z } from 'zod';
import { tableFrom } from '$lib/server/catalog/tables';
import { restoreRecord } from '$lib/server/records/history';
import { answering, readBody, recordId } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

const restoreSchema = z.strictObject({
  version: z.number().int().min(1),
  /** The step of the history after which the record was as it is to be again. */
  step: z.number().int().min(1),
});

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const wish = await readBody(request, restoreSchema);
  const db = await readyDatabase();
  const tables = await locals.house();
  const table = tableFrom(tables, params.table);
  const id = recordId(params.id, table.title);
  return restoreRecord(db, tables, table, { id, ...wish }, locals.person.name);
});
