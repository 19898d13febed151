import { driftRepairRequest } from '$lib/core/contract/requests';
import { fail } from '$lib/core/problems';
import { askerAt } from '$lib/server/access/let-in';
import { lastDrift } from '$lib/server/keeping/drift';
import { tableOfRun } from '$lib/server/keeping/drift-found';
import { repairDrift } from '$lib/server/keeping/drift-repair';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const wish = await readBody(request, driftRepairRequest);
  const db = await readyDatabase();
  const run = (await lastDrift(db, params.form)) ?? fail('drift_gone', {}, 404);
  const table = await tableOfRun(db, run, wish.grid);
  if (!askerAt({ locals }).rights.table(table, 'change')) fail('not_allowed', {}, 403);
  return repairDrift(db, await locals.house(), run, wish, locals.person.name);
});
