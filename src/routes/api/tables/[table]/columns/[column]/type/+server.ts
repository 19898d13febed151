import { retypeRequest } from '$lib/core/contract/requests';
import { lookAtRetype, retypeColumn, unretypeColumn } from '$lib/server/catalog/retype';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const POST = answering(async ({ params, request }: RequestEvent) => {
  const wish = await readBody(request, retypeRequest);
  return lookAtRetype(await readyDatabase(), params.table, params.column, wish);
});

export const PUT = answering(async ({ params, request, locals }: RequestEvent) => {
  const wish = await readBody(request, retypeRequest);
  const { name } = locals.person;
  return retypeColumn(await readyDatabase(), params.table, params.column, wish, name);
});

export const DELETE = answering(async ({ params, locals }: RequestEvent) =>
  unretypeColumn(await readyDatabase(), params.table, params.column, locals.person.name),
);
