import { guestAt, guestName } from '$lib/server/access/guest';
import { handIn, mostWaitingOfGuest } from '$lib/server/files/hand-in';
import { answering } from '$lib/server/respond';
import type { RequestEvent } from './$types';

/** Begins to hand in a file for a guest's form. */
export const POST = answering(async (event: RequestEvent) => {
  const { db, invitation } = await guestAt(event);
  return handIn(db, event.request, {
    by: guestName(invitation),
    path: `/api/guest/${event.params.token}/files`,
    mostWaiting: mostWaitingOfGuest,
  });
});
