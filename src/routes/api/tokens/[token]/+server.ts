import { noteEvent } from '$lib/server/access/activity';
import { askerAt } from '$lib/server/access/let-in';
import { endToken } from '$lib/server/access/tokens';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** Ends a token: of one's own, or, for whoever answers for the people, of anybody. */
export const DELETE = answering(async (event: RequestEvent) => {
  const { rights, owner, person } = askerAt(event);
  const db = await readyDatabase();
  await endToken(db, event.params.token, rights.place('people') ? undefined : owner);
  await noteEvent(db, { kind: 'token_ended', person: person.shown });
  return { done: true };
});
