import { recordRequest } from '$lib/core/contract/requests';
import { json } from '@sveltejs/kit';
import { z } from 'zod';
import { conditionSchema, orderSchema } from '$lib/core/table/conditions';
import { tableFrom } from '$lib/server/catalog/tables';
import { readRecords } from '$lib/server/records/read';
import { addRecord } from '$lib/server/records/write';
import { answering, parsed, parsedParameter, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

const limitSchema = z.coerce.number().int().min(1).max(500);

export const GET = answering(async ({ params, url, locals }: RequestEvent) => {
  const db = await locals.reads();
  const tables = await locals.house();
  return readRecords(db, tables, tableFrom(tables, params.table), {
    filter: parsedParameter(url, 'filter', z.array(conditionSchema).max(20), []),
    sort: parsedParameter(url, 'sort', z.array(orderSchema).max(4), []),
    search: url.searchParams.get('search')?.slice(0, 200) ?? undefined,
    after: url.searchParams.get('after') ?? undefined,
    limit: parsed(limitSchema, url.searchParams.get('limit') ?? 50),
  });
});

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const { values } = await readBody(request, recordRequest);
  const db = await readyDatabase();
  const tables = await locals.house();
  const table = tableFrom(tables, params.table);
  const record = await addRecord(db, tables, table, values, locals.person.name);
  return json(record, { status: 201 });
});
