import { json } from '@sveltejs/kit';
import { querySchema } from '$lib/core/outside/query';
import { keepQuery, listQueries } from '$lib/server/outside/queries';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

export const GET = answering(async () => listQueries(await readyDatabase()));

export const POST = answering(async ({ request, locals }) => {
  const query = await readBody(request, querySchema);
  const made = await keepQuery(await readyDatabase(), query, locals.person.name, 'make');
  return json(made, { status: 201 });
});
