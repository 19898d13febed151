import { json } from '@sveltejs/kit';
import { fail } from '$lib/core/problems';
import { guestAt, guestName } from '$lib/server/access/guest';
import { countUse } from '$lib/server/access/invitations';
import { entrySchema, saveEntry } from '$lib/server/records/save';
import { answering, readBody } from '$lib/server/respond';
import type { RequestEvent } from './$types';

/** Saves the record of the invitation, and no other. */
export const POST = answering(async (event: RequestEvent) => {
  const { db, invitation, edition } = await guestAt(event);
  const entry = await readBody(event.request, entrySchema);
  if ((entry.record?.id ?? null) !== invitation.record) fail('invitation_misfit', {}, 403);
  if (invitation.record === null && !invitation.adds) fail('invitation_misfit', {}, 403);
  if (entry.edition !== edition) fail('edition_closed', {}, 409);
  const by = guestName(invitation);
  const receipt = await saveEntry(db, invitation.form, { ...entry, link: {} }, by, {
    guest: true,
    inside: (trx) => countUse(db, trx, invitation.id, entry.submission),
  });
  const left = invitation.uses - invitation.used - 1;
  // Who adds records through a public link is told that it is done, and nothing of the house.
  const told = invitation.adds ? { ...receipt, records: [] } : receipt;
  return json({ receipt: told, left: Math.max(0, left) }, { status: 201 });
});
