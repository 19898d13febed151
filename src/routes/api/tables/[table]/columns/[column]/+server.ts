import { columnChangeRequest } from '$lib/core/contract/requests';
import { changeOptions, removeColumn, renameTableColumn } from '$lib/server/catalog/restructure';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const PATCH = answering(async ({ params, request, locals }: RequestEvent) => {
  const change = await readBody(request, columnChangeRequest);
  const db = await readyDatabase();
  const { name } = locals.person;
  return 'key' in change
    ? renameTableColumn(db, params.table, params.column, change.key, name)
    : changeOptions(db, params.table, params.column, change.options, name);
});

export const DELETE = answering(async ({ params, locals }: RequestEvent) =>
  removeColumn(await readyDatabase(), params.table, params.column, locals.person.name),
);
