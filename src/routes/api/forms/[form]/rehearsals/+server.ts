import { json } from '@sveltejs/kit';
import { keepRehearsalRequest } from '$lib/core/contract/requests';
import { factsFor } from '$lib/server/access/house';
import { askerAt } from '$lib/server/access/let-in';
import { formHead, meantPlan } from '$lib/server/catalog/forms';
import { keepRehearsal, listRehearsals } from '$lib/server/catalog/rehearsals';
import { rehearsalOf } from '$lib/server/keeping/rehearse';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** The rehearsals of a form. */
export const GET = answering(async ({ params }: RequestEvent) => {
  const db = await readyDatabase();
  return listRehearsals(db, (await formHead(db, params.form)).id);
});

export const POST = answering(async (event: RequestEvent) => {
  const { params, request, locals } = event;
  const wish = await readBody(request, keepRehearsalRequest);
  const db = await readyDatabase();
  const { name } = locals.person;
  if ('rehearsal' in wish) {
    const { id } = await formHead(db, params.form);
    return json(await keepRehearsal(db, id, wish, name), { status: 201 });
  }
  const house = await locals.house();
  const { form, plan } = await meantPlan(db, house, params.form, { draft: wish.draft });
  const person = await factsFor(db, house.whole, plan, askerAt(event).person);
  const rehearsal = await rehearsalOf({ db, house, plan }, wish, person);
  const kept = await keepRehearsal(db, form.id, { name: wish.name, rehearsal }, name);
  return json(kept, { status: 201 });
});
