import { querySchema } from '$lib/core/outside/query';
import { keepQuery } from '$lib/server/outside/queries';
import { removeQuery } from '$lib/server/outside/uses';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const PUT = answering(async ({ params, request, locals }: RequestEvent) => {
  const change = await readBody(request, querySchema.omit({ key: true }));
  const query = { ...change, key: params.query };
  return keepQuery(await readyDatabase(), query, locals.person.name, 'change');
});

export const DELETE = answering(async ({ params }: RequestEvent) => {
  await removeQuery(await readyDatabase(), params.query);
  return new Response(null, { status: 204 });
});
