import { driftLeaveRequest } from '$lib/core/contract/requests';
import { fail } from '$lib/core/problems';
import { lastDrift } from '$lib/server/keeping/drift';
import { leaveFound, lookAgain } from '$lib/server/keeping/drift-left';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const { leave, ...wish } = await readBody(request, driftLeaveRequest);
  const db = await readyDatabase();
  const run = (await lastDrift(db, params.form)) ?? fail('drift_gone', {}, 404);
  const findings = leave
    ? await leaveFound(db, run, wish, locals.person.name)
    : await lookAgain(db, run, wish);
  return { findings };
});
