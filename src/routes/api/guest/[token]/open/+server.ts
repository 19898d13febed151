import { effortRequest } from '$lib/core/contract/requests';
import { reachedBy } from '$lib/core/plan/reach';
import { sourcesOf } from '$lib/core/table/sources';
import { guestPlan, invitationAt, passCookie } from '$lib/server/access/guest';
import { passFor } from '$lib/server/access/invitations';
import { throttleGuest } from '$lib/server/access/throttle';
import { loadTables } from '$lib/server/catalog/tables';
import { openForForm } from '$lib/server/records/open-form';
import { openThrough } from '$lib/server/records/through';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** Lets a guest in and gives the one record of the invitation, with what its form needs. */
export const POST = answering(async (event: RequestEvent) => {
  const { challenge, nonce } = await readBody(event.request, effortRequest);
  const db = await readyDatabase();
  const invitation = await invitationAt(db, event);
  await throttleGuest('open', invitation.id);
  const { plan, edition } = await guestPlan(db, invitation);
  const pass = await passFor(invitation, challenge, nonce, edition);
  event.cookies.set(passCookie, pass, {
    path: `/api/guest/${event.params.token}`,
    httpOnly: true,
    sameSite: 'strict',
    secure: event.url.protocol === 'https:',
    maxAge: 7200,
  });
  const tables = await loadTables(db);
  const { record, key } = invitation;
  const wish = record === null ? { edition } : { record, edition };
  const { opened, sets, asked } = await openForForm(db, invitation.form, wish);
  return {
    message: invitation.message,
    plan,
    edition,
    opened,
    through: key === null ? null : await openThrough(db, tables, plan, key),
    sources: sourcesOf(reachedBy(asked, tables)),
    sets,
  };
});
