import { conditionRequest } from '$lib/core/contract/requests';
import { tryCondition } from '$lib/server/access/try-condition';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** What is wrong with a condition by record, or how many records each person of the role would see now. */
export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const { table, when } = await readBody(request, conditionRequest);
  const { whole } = await locals.house();
  return tryCondition(await readyDatabase(), whole, params.role, table, when);
});
