import { runRehearsalRequest } from '$lib/core/contract/requests';
import { requireForm } from '$lib/server/access/let-in';
import { meantPlan } from '$lib/server/catalog/forms';
import { changeRehearsal, loadRehearsal } from '$lib/server/catalog/rehearsals';
import { acceptedRehearsal, runRehearsal } from '$lib/server/keeping/rehearse';
import { answering, readBody, recordId } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const { draft, answers, accept } = await readBody(request, runRehearsalRequest);
  if (accept) requireForm(locals, params.form, 'design');
  const db = await readyDatabase();
  const house = await locals.house();
  const { form, plan } = await meantPlan(db, house, params.form, { draft });
  const stage = { db, house, plan };
  let kept = await loadRehearsal(db, form.id, recordId(params.id, params.form));
  if (accept) {
    const rehearsal = await acceptedRehearsal(stage, kept.rehearsal);
    kept = await changeRehearsal(db, form.id, kept, { rehearsal }, locals.person.name);
  }
  const { verdict, unheard } = await runRehearsal(stage, kept.rehearsal, answers);
  return { ...verdict, unheard: unheard.length };
});
