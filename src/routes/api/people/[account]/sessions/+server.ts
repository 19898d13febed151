import { accountAt } from '$lib/server/access/accounts';
import { noteEvent } from '$lib/server/access/activity';
import { accountId, askerAt } from '$lib/server/access/let-in';
import { endOthers } from '$lib/server/access/sessions';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** Ends all sessions of somebody; one's own stays. */
export const DELETE = answering(async (event: RequestEvent) => {
  const { person, session } = askerAt(event);
  const db = await readyDatabase();
  const account = await accountAt(db, accountId(event.params.account));
  await endOthers(db, account.id, session);
  await noteEvent(db, { kind: 'session_ended', person: person.shown, about: account.shown });
  return { done: true };
});
