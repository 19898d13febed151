import { z } from 'zod';
import { tryCondition } from '$lib/server/access/try-condition';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

const trySchema = z.strictObject({ table: z.string().max(48), when: z.string().max(2000) });

/** What is wrong with a condition by record, or how many records each person of the role would see now. */
export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const { table, when } = await readBody(request, trySchema);
  const { whole } = await locals.house();
  return tryCondition(await readyDatabase(), whole, params.role, table, when);
});
