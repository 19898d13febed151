import { loadEdition } from '$lib/server/catalog/forms';
import { lookAtAnswers } from '$lib/server/records/answers-looked-at';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** What was answered to the questions of a form, counted. */
export const GET = answering(async ({ params, url, locals }: RequestEvent) => {
  const db = await readyDatabase();
  const { plan } = await loadEdition(db, params.form);
  const { counted } = await lookAtAnswers(await locals.reads(), await locals.house(), plan, url);
  return counted;
});
