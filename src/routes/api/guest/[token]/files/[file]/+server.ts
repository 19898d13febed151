import { reachedBy } from '$lib/core/plan/reach';
import { guestAt, guestGiver, guestName } from '$lib/server/access/guest';
import { loadEdition } from '$lib/server/catalog/forms';
import { loadTables } from '$lib/server/catalog/tables';
import { handIn } from '$lib/server/files/hand-in';
import { fileAnswer, fileFor } from '$lib/server/files/serve';
import { answering } from '$lib/server/respond';
import type { RequestEvent } from './$types';

const handing = answering(async (event: RequestEvent) => {
  const { db, invitation } = await guestAt(event);
  return handIn(db, event.request, guestGiver(invitation, event.params.token));
});
export const HEAD = handing;
export const PATCH = handing;
export const DELETE = handing;

/** A file that the guest handed in, or that stands in a column which their form reaches. */
export const GET = answering(async (event: RequestEvent) => {
  const { db, invitation, edition } = await guestAt(event);
  const { plan } = await loadEdition(db, invitation.form, edition);
  const reached = reachedBy(plan, await loadTables(db));
  const known = await fileFor(db, event.params.file, guestName(invitation), async (uses) =>
    uses.some(({ table, column }) => reached.get(table)?.columns.some(({ key }) => key === column)),
  );
  const { url, request } = event;
  return fileAnswer(db, known, url.searchParams.get('name'), request.headers);
});
