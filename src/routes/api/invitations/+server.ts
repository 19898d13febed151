import { json } from '@sveltejs/kit';
import { inviteSchema, listInvitations, makeInvitation } from '$lib/server/access/invitations';
import { fail } from '$lib/core/problems';
import { noteEvent } from '$lib/server/access/activity';
import { requireForm } from '$lib/server/access/let-in';
import { formHead } from '$lib/server/catalog/forms';
import { seenIds } from '$lib/server/records/sight';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

export const GET = answering(async () => listInvitations(await readyDatabase()));

/** Makes an invitation. Its link is told this once: the token is kept nowhere. */
export const POST = answering(async ({ request, locals, url }) => {
  const invite = await readBody(request, inviteSchema);
  // Nobody shows a guest what they may not open themselves.
  requireForm(locals, invite.form, invite.record === undefined ? 'fill' : 'open');
  const db = await readyDatabase();
  if (invite.record !== undefined) {
    const { table } = await formHead(db, invite.form);
    const seen = await seenIds(db, db.knex, await locals.house(), table, [invite.record]);
    if (!seen.has(invite.record)) {
      fail('unknown_record', { id: String(invite.record), table }, 404);
    }
  }
  const made = await makeInvitation(db, invite, locals.person.name);
  await noteEvent(db, { kind: 'invited', person: locals.person.name, about: invite.note });
  const link = `${url.origin}/guest/${made.token}`;
  return json({ invitation: made.invitation, link }, { status: 201 });
});
