import { connectionChangeRequest } from '$lib/core/contract/requests';
import { keepConnection } from '$lib/server/outside/connections';
import { removeConnection } from '$lib/server/outside/uses';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const PUT = answering(async ({ params, request, locals }: RequestEvent) => {
  const { secret, ...change } = await readBody(request, connectionChangeRequest);
  const connection = { ...change, key: params.connection };
  const db = await readyDatabase();
  return keepConnection(db, connection, secret, locals.person.name, 'change');
});

export const DELETE = answering(async ({ params }: RequestEvent) => {
  await removeConnection(await readyDatabase(), params.connection);
  return new Response(null, { status: 204 });
});
