import { questionsRequest } from '$lib/core/contract/requests';
import { reachedBy } from '$lib/core/plan/reach';
import { sourcesOf } from '$lib/core/table/sources';
import { requireForm } from '$lib/server/access/let-in';
import { meantPlan } from '$lib/server/catalog/forms';
import { askedForm } from '$lib/server/records/questions';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** The questions that a form asks under values, as their rows say now. */
export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const wish = await readBody(request, questionsRequest);
  if (wish.edition === undefined) requireForm(locals, params.form, 'design');
  const db = await readyDatabase();
  const tables = await locals.house();
  const held = await meantPlan(db, tables, params.form, wish);
  const { plan, sets, faults } = await askedForm(db, tables, held.plan, wish);
  return { sets, faults, sources: sourcesOf(reachedBy(plan, tables.whole)) };
});
