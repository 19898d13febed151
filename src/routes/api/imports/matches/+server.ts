import { importMatchesRequest } from '$lib/core/contract/requests';
import { matchInHouse } from '$lib/server/records/matches';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const POST = answering(async ({ request, locals }: RequestEvent) => {
  const { columns } = await readBody(request, importMatchesRequest);
  return matchInHouse(await readyDatabase(), await locals.house(), columns);
});
