import { noteEvent } from '$lib/server/access/activity';
import { revokeInvitation } from '$lib/server/access/invitations';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const DELETE = answering(async ({ params, locals }: RequestEvent) => {
  const db = await readyDatabase();
  await revokeInvitation(db, params.id);
  await noteEvent(db, { kind: 'invitation_ended', person: locals.person.name });
  return new Response(null, { status: 204 });
});
