import { guestAt, guestGiver } from '$lib/server/access/guest';
import { handIn } from '$lib/server/files/hand-in';
import { answering } from '$lib/server/respond';
import type { RequestEvent } from './$types';

/** Begins to hand in a file for a guest's form. */
export const POST = answering(async (event: RequestEvent) => {
  const { db, invitation } = await guestAt(event);
  return handIn(db, event.request, guestGiver(invitation, event.params.token));
});
