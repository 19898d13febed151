import type { RequestEvent } from '@sveltejs/kit';
import type { Database } from '../database/connection';
import { mostWaitingOfGuest, type Giver } from '../files/hand-in';
import { readyDatabase } from '../start';
import type { Invitation } from '$lib/core/access/invitation';
import { requirePass, verifyInvitation } from './invitations';
import type { Plan } from '$lib/core/plan/schema';
import { planForGuests } from '$lib/core/plan/for-guests';
import { loadEdition } from '../catalog/forms';
import { throttleGuess, throttleGuest } from './throttle';
import { ProblemError } from '$lib/core/problems';

type GuestEvent = Pick<RequestEvent, 'cookies' | 'getClientAddress'> & {
  params: { token: string };
};

/** The name of the cookie in which a guest's pass is kept; it is sent to the guest's own routes only. */
export const passCookie = 'unisor_pass';

/** The invitation of a guest who has been let in, and the edition opened then. Fails for everybody else. */
export async function guestAt(
  event: GuestEvent,
): Promise<{ db: Database; invitation: Invitation; edition: number }> {
  const db = await readyDatabase();
  const invitation = await invitationAt(db, event);
  await throttleGuest('work', invitation.id);
  const { edition } = await requirePass(invitation, event.cookies.get(passCookie));
  return { db, invitation, edition };
}

/** The invitation of a link. Who comes with links that open nothing is slowed down; nobody else is. */
export async function invitationAt(
  db: Database,
  {
    params,
    getClientAddress,
  }: Pick<RequestEvent, 'getClientAddress'> & { params: { token: string } },
): Promise<Invitation> {
  try {
    return await verifyInvitation(db, params.token);
  } catch (error) {
    if (error instanceof ProblemError && error.status < 500)
      await throttleGuess(getClientAddress());
    throw error;
  }
}

/** The plan of an edition as a guest fills it in; of the newest, where none is said. */
export async function guestPlan(
  db: Database,
  { form }: Invitation,
  edition?: number,
): Promise<{ plan: Plan; edition: number }> {
  const held = await loadEdition(db, form, edition);
  return { plan: planForGuests(held.plan), edition: held.edition };
}

/** How a guest is named where it is told who saved. */
export function guestName({ note, id }: Invitation): string {
  return `guest ${note || id.slice(0, 6)}`.slice(0, 100);
}

/** A guest who hands in files for their form. */
export function guestGiver(invitation: Invitation, token: string): Giver {
  return {
    by: guestName(invitation),
    path: `/api/guest/${token}/files`,
    mostWaiting: mostWaitingOfGuest,
  };
}
