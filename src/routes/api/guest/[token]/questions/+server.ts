import { questionsRequest } from '$lib/core/contract/requests';
import { reachedBy } from '$lib/core/plan/reach';
import { fail } from '$lib/core/problems';
import { sourcesOf } from '$lib/core/table/sources';
import { guestAt, guestPlan } from '$lib/server/access/guest';
import { throttleGuest } from '$lib/server/access/throttle';
import { loadTables } from '$lib/server/catalog/tables';
import { askedForm } from '$lib/server/records/questions';
import { answering, readBody } from '$lib/server/respond';
import type { RequestEvent } from './$types';

/** The questions of a guest's form under values, of its edition only. */
export const POST = answering(async (event: RequestEvent) => {
  const { db, invitation, edition } = await guestAt(event);
  const wish = await readBody(event.request, questionsRequest);
  if (wish.edition !== edition) fail('edition_closed', {}, 409);
  await throttleGuest('ask', invitation.id, 1);
  const held = await guestPlan(db, invitation, edition);
  const tables = await loadTables(db);
  const { plan, sets } = await askedForm(db, tables, held.plan, wish);
  return { sets, sources: sourcesOf(reachedBy(plan, tables)) };
});
