import { tableChangeRequest } from '$lib/core/contract/requests';
import { relabelTable, tableFrom } from '$lib/server/catalog/tables';
import { removeTable, renameWholeTable } from '$lib/server/catalog/restructure';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const GET = answering(async ({ params, locals }: RequestEvent) =>
  tableFrom(await locals.house(), params.table),
);

export const PATCH = answering(async ({ params, request, locals }: RequestEvent) => {
  const { key, ...labels } = await readBody(request, tableChangeRequest);
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
