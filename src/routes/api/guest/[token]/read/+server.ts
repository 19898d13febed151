import { fail } from '$lib/core/problems';
import { guestAt, guestName } from '$lib/server/access/guest';
import { loadEdition } from '$lib/server/catalog/forms';
import { loadTables } from '$lib/server/catalog/tables';
import { readForm, readSchema } from '$lib/server/records/form-read';
import { answerAsks, answering, readBody } from '$lib/server/respond';
import type { RequestEvent } from './$types';

/** What the form of a guest needs to know, of its edition only. */
export const POST = answering(async (event: RequestEvent) => {
  const { db, invitation, edition } = await guestAt(event);
  const request = await readBody(event.request, readSchema);
  if (request.edition !== edition) fail('edition_closed', {}, 409);
  const { plan } = await loadEdition(db, invitation.form, edition);
  const tables = await loadTables(db);
  return answerAsks(event, request.asks, (asks) =>
    readForm(db, tables, plan, { ...request, asks }, guestName(invitation)),
  );
});
