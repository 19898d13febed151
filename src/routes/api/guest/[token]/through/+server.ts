import { fail } from '$lib/core/problems';
import { guestAt, guestName } from '$lib/server/access/guest';
import { usingInvitation } from '$lib/server/access/invitations';
import { loadEdition } from '$lib/server/catalog/forms';
import { loadTables } from '$lib/server/catalog/tables';
import { openThrough, throughSchema, writeThrough } from '$lib/server/records/through';
import { answering, readBody } from '$lib/server/respond';
import type { RequestEvent } from './$types';

/** The outside record of the invitation, whatever key is asked for. */
export const GET = answering(async (event: RequestEvent) => {
  const { db, invitation } = await guestAt(event);
  const { plan } = await loadEdition(db, invitation.form);
  return openThrough(db, await loadTables(db), plan, invitation.key ?? '');
});

/** Writes the outside record of the invitation back, and no other. */
export const POST = answering(async (event: RequestEvent) => {
  const { db, invitation } = await guestAt(event);
  const sent = await readBody(event.request, throughSchema);
  if (sent.key !== invitation.key) fail('invitation_misfit', {}, 403);
  const { plan } = await loadEdition(db, invitation.form);
  const tables = await loadTables(db);
  return usingInvitation(db, invitation, sent.submission, () =>
    writeThrough(db, tables, plan, sent, guestName(invitation)),
  );
});
