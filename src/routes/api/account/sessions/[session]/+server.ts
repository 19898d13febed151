import { noteEvent } from '$lib/server/access/activity';
import { askerAt } from '$lib/server/access/let-in';
import { endSession } from '$lib/server/access/sessions';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** Ends one of one's own sessions. */
export const DELETE = answering(async (event: RequestEvent) => {
  const { owner, person } = askerAt(event);
  const db = await readyDatabase();
  await endSession(db, owner, event.params.session);
  await noteEvent(db, { kind: 'session_ended', person: person.shown });
  return { done: true };
});
