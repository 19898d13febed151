import { connectionRequest } from '$lib/core/contract/requests';
import { json } from '@sveltejs/kit';
import { keepConnection, listConnections } from '$lib/server/outside/connections';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

export const GET = answering(async () => listConnections(await readyDatabase()));

export const POST = answering(async ({ request, locals }) => {
  const { secret, ...connection } = await readBody(request, connectionRequest);
  const db = await readyDatabase();
  return json(await keepConnection(db, connection, secret, locals.person.name, 'make'), {
    status: 201,
  });
});
