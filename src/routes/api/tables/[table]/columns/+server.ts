import { json } from '@sveltejs/kit';
import { columnSchema } from '$lib/core/table/definition';
import { addTableColumn } from '$lib/server/catalog/tables';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const column = await readBody(request, columnSchema);
  const db = await readyDatabase();
  const table = await addTableColumn(db, params.table, column, locals.person.name);
  return json(table, { status: 201 });
});
