import { askerAt } from '$lib/server/access/let-in';
import { lookAs } from '$lib/server/access/sessions';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

/** Sees with one's own eyes again. */
export const DELETE = answering(async (event) => {
  const { session } = askerAt(event);
  if (session !== null) await lookAs(await readyDatabase(), session, null);
  return { done: true };
});
