import { noteEvent } from '$lib/server/access/activity';
import { askerAt } from '$lib/server/access/let-in';
import { endSession, sessionCookie } from '$lib/server/access/sessions';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

/** Ends the session that asks. */
export const POST = answering(async (event) => {
  const { person, session, owner } = askerAt(event);
  const db = await readyDatabase();
  if (session !== null) await endSession(db, owner, session);
  await noteEvent(db, { kind: 'signed_out', person: person.shown });
  event.cookies.delete(sessionCookie, { path: '/' });
  return { done: true };
});
