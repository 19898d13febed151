import { z } from 'zod';
import { keySchema } from '$lib/core/table/definition';
import { loadTables, relabelTable, tableFrom } from '$lib/server/catalog/tables';
import { removeTable } from '$lib/server/catalog/usage';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

const title = z.string().trim().min(1).max(200);
const relabelSchema = z.strictObject({
  title: title.optional(),
  display: z.array(keySchema).min(1).max(6).optional(),
  labels: z.record(keySchema, title).optional(),
});

export const GET = answering(async ({ params }: RequestEvent) =>
  tableFrom(await loadTables(await readyDatabase()), params.table),
);

export const PATCH = answering(async ({ params, request, locals }: RequestEvent) => {
  const change = await readBody(request, relabelSchema);
  return relabelTable(await readyDatabase(), params.table, change, locals.person.name);
});

export const DELETE = answering(async ({ params, locals }: RequestEvent) => {
  await removeTable(await readyDatabase(), params.table, locals.person.name);
  return new Response(null, { status: 204 });
});
