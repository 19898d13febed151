import { accountAt } from '$lib/server/access/accounts';
import { noteEvent } from '$lib/server/access/activity';
import { accountId, askerAt, refuseHigher } from '$lib/server/access/let-in';
import { lookAs } from '$lib/server/access/sessions';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** Shows the product as somebody else sees it, until one's own eyes are wanted again; it is noted. */
export const POST = answering(async (event: RequestEvent) => {
  const asker = askerAt(event);
  const db = await readyDatabase();
  const account = await accountAt(db, accountId(event.params.account));
  refuseHigher(asker, account.roles);
  await noteEvent(db, { kind: 'looked_as', person: asker.person.shown, about: account.shown });
  if (asker.session !== null) await lookAs(db, asker.session, account.id);
  return { done: true };
});
