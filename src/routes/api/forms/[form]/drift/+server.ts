import { driftRequest } from '$lib/core/contract/requests';
import { fail } from '$lib/core/problems';
import { beginDrift, goOnWithDrift, lastDrift, stopDrift } from '$lib/server/keeping/drift';
import { driftFound } from '$lib/server/keeping/drift-found';
import { driftBehind } from '$lib/server/keeping/drift-behind';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const GET = answering(async ({ params, locals }: RequestEvent) => {
  const db = await readyDatabase();
  const run = await lastDrift(db, params.form);
  // While it goes on, how far it has come is enough.
  const told = run !== null && run.state !== 'running';
  return { run, found: told ? await driftFound(db, await locals.house(), run) : [] };
});

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const { against, goesOn } = await readBody(request, driftRequest);
  const db = await readyDatabase();
  const last = await lastDrift(db, params.form);
  if (goesOn !== undefined && last?.id !== goesOn) return fail('drift_gone', {}, 404);
  if (goesOn !== undefined) await goOnWithDrift(db, goesOn);
  const run = goesOn ?? (await beginDrift(db, params.form, against, locals.person.name));
  driftBehind(run);
  return { run };
});

export const DELETE = answering(async ({ params }: RequestEvent) => {
  const db = await readyDatabase();
  const last = await lastDrift(db, params.form);
  if (last) await stopDrift(db, last.id);
  return new Response(null, { status: 204 });
});
