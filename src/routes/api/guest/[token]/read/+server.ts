import { fail } from '$lib/core/problems';
import { guestAt, guestName, guestPlan } from '$lib/server/access/guest';
import { guestReader, mostGuestAsks } from '$lib/server/access/guest-reads';
import { throttleGuest } from '$lib/server/access/throttle';
import { loadTables } from '$lib/server/catalog/tables';
import { readForm, readSchema } from '$lib/server/records/form-read';
import { answerAsks, answering, readBody } from '$lib/server/respond';
import type { RequestEvent } from './$types';

/** What the form of a guest needs to know, of its edition and its record only. */
export const POST = answering(async (event: RequestEvent) => {
  const { db, invitation, edition } = await guestAt(event);
  const request = await readBody(event.request, readSchema);
  if (request.edition !== edition) fail('edition_closed', {}, 409);
  // Counting to the end is for those who work here.
  for (const ask of request.asks) delete ask.whole;
  if (request.asks.length > mostGuestAsks) fail('too_many_requests', {}, 429);
  await throttleGuest('ask', invitation.id, request.asks.length);
  const { plan } = await guestPlan(db, invitation, edition);
  const tables = await loadTables(db);
  const { record } = invitation;
  const name = guestName(invitation);
  if (record === null && !invitation.adds) {
    return answerAsks(event, request.asks, (asks) =>
      readForm(db, tables, plan, { ...request, asks }, { name }),
    );
  }
  const read = await guestReader(db, tables, plan, record, request, name);
  return answerAsks(event, request.asks, read);
});
