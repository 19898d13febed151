import { json } from '@sveltejs/kit';
import { inviteSchema, listInvitations, makeInvitation } from '$lib/server/access/invitations';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

export const GET = answering(async () => listInvitations(await readyDatabase()));

/** Makes an invitation. Its link is told this once: the token is kept nowhere. */
export const POST = answering(async ({ request, locals, url }) => {
  const invite = await readBody(request, inviteSchema);
  const made = await makeInvitation(await readyDatabase(), invite, locals.person.name);
  const link = `${url.origin}/guest/${made.token}`;
  return json({ invitation: made.invitation, link }, { status: 201 });
});
