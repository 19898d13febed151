import { json } from '@sveltejs/kit';
import { z } from 'zod';
import { namedConnectionSchema } from '$lib/core/outside/query';
import { keepConnection, listConnections } from '$lib/server/outside/connections';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

const madeSchema = namedConnectionSchema.extend({ secret: z.string().max(2000).optional() });

export const GET = answering(async () => listConnections(await readyDatabase()));

export const POST = answering(async ({ request, locals }) => {
  const { secret, ...connection } = await readBody(request, madeSchema);
  const db = await readyDatabase();
  return json(await keepConnection(db, connection, secret, locals.person.name, 'make'), {
    status: 201,
  });
});
