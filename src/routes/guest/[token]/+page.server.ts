import { invitationAt } from '$lib/server/access/guest';
import { challengeFor } from '$lib/server/access/invitations';
import { throttleGuest } from '$lib/server/access/throttle';
import { loadEdition } from '$lib/server/catalog/forms';
import { fail } from '$lib/core/problems';
import { forPage } from '$lib/server/page';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params, getClientAddress }) =>
  forPage(async () => {
    const db = await readyDatabase();
    const invitation = await invitationAt(db, { params, getClientAddress });
    await throttleGuest('open', invitation.id);
    if (invitation.adds && invitation.used >= invitation.uses) fail('link_full', {}, 410);
    const { plan } = await loadEdition(db, invitation.form);
    const { form, endsAt, uses, used, adds } = invitation;
    return {
      token: params.token,
      form,
      title: plan.title,
      endsAt,
      adds,
      usesLeft: Math.max(0, uses - used),
      challenge: await challengeFor(invitation),
    };
  });
