import { z } from 'zod';
import { keySchema } from '$lib/core/values/key';
import { namedViewSchema } from '$lib/core/table/view';
import { relabelTable, tableFrom } from '$lib/server/catalog/tables';
import { removeTable, renameWholeTable } from '$lib/server/catalog/restructure';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

const title = z.string().trim().min(1).max(200);
const relabelSchema = z.strictObject({
  /** Another key; carried through everything that names the table. */
  key: keySchema.optional(),
  title: title.optional(),
  display: z.array(keySchema).min(1).max(6).optional(),
  labels: z.record(keySchema, title).optional(),
  views: z
    .strictObject({
      keeps: z.array(namedViewSchema).max(50).optional(),
      drops: z.array(z.string().max(48)).max(50).optional(),
    })
    .optional(),
});

export const GET = answering(async ({ params, locals }: RequestEvent) =>
  tableFrom(await locals.house(), params.table),
);

export const PATCH = answering(async ({ params, request, locals }: RequestEvent) => {
  const { key, ...labels } = await readBody(request, relabelSchema);
  const db = await readyDatabase();
  const { name } = locals.person;
  const table =
    key === undefined ? params.table : (await renameWholeTable(db, params.table, key, name)).key;
  return relabelTable(db, table, labels, name);
});

export const DELETE = answering(async ({ params, locals }: RequestEvent) => {
  await removeTable(await readyDatabase(), params.table, locals.person.name);
  return new Response(null, { status: 204 });
});
