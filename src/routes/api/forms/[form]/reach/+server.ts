import { planForGuests } from '$lib/core/plan/for-guests';
import { guestReach } from '$lib/core/wiring/guest-reach';
import { loadEdition } from '$lib/server/catalog/forms';
import { knownForm } from '$lib/server/records/wired';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** What a guest who fills this form would be told of the house besides. */
export const GET = answering(async ({ params, locals }: RequestEvent) => {
  const db = await readyDatabase();
  const { plan } = await loadEdition(db, params.form);
  return { reach: guestReach(knownForm(planForGuests(plan), await locals.house())) };
});
