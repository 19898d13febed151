import { meantPlan } from '$lib/server/catalog/forms';
import { readForm, readSchema } from '$lib/server/records/form-read';
import { factsFor } from '$lib/server/access/house';
import { askerAt, requireForm } from '$lib/server/access/let-in';
import { noteSlow } from '$lib/server/keeping/slow-reads';
import { answerAsks, answering, readBody, whileThere } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const POST = answering(async (event: RequestEvent) => {
  const { params, request, locals } = event;
  const wish = await readBody(request, readSchema);
  if (wish.edition === undefined) requireForm(locals, params.form, 'design');
  const db = await readyDatabase();
  const tables = await locals.house();
  const held = await meantPlan(db, tables, params.form, wish);
  const person = await factsFor(db, tables.whole, held.plan, askerAt(event).person);
  const reads = await locals.reads();
  return whileThere(event, () =>
    answerAsks(event, wish.asks, (asks) =>
      readForm(db, tables, held.plan, { ...wish, asks }, person, reads, (read, answers) =>
        noteSlow(db, params.form, read, answers),
      ),
    ),
  );
});
