import { changeRehearsalRequest } from '$lib/core/contract/requests';
import { fail } from '$lib/core/problems';
import { formHead } from '$lib/server/catalog/forms';
import { changeRehearsal, loadRehearsal, removeRehearsal } from '$lib/server/catalog/rehearsals';
import { answering, readBody, recordId } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const PUT = answering(async ({ params, request, locals }: RequestEvent) => {
  const { revision, name, hows } = await readBody(request, changeRehearsalRequest);
  const db = await readyDatabase();
  const form = await formHead(db, params.form);
  const id = recordId(params.id, params.form);
  const kept = await loadRehearsal(db, form.id, id);
  const { rehearsal } = kept;
  if (kept.revision !== revision || (hows && hows.length !== rehearsal.expects.length)) {
    return fail('rehearsal_changed', {}, 409);
  }
  const expects = rehearsal.expects.map((one, i) => ({ ...one, how: hows?.[i] ?? one.how }));
  const changes = { name, rehearsal: { ...rehearsal, expects } };
  return changeRehearsal(db, form.id, { id, revision }, changes, locals.person.name);
});

export const DELETE = answering(async ({ params }: RequestEvent) => {
  const db = await readyDatabase();
  const form = await formHead(db, params.form);
  await removeRehearsal(db, form.id, recordId(params.id, params.form));
  return new Response(null, { status: 204 });
});
