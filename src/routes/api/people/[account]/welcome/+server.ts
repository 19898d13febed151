import { accountAt, welcomeLink } from '$lib/server/access/accounts';
import { accountId, askerAt, refuseHigher } from '$lib/server/access/let-in';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** A link by which somebody sets a password, at first or again; earlier links open nothing any more. */
export const POST = answering(async (event: RequestEvent) => {
  const db = await readyDatabase();
  const account = await accountAt(db, accountId(event.params.account));
  refuseHigher(askerAt(event), account.roles);
  return { link: `${event.url.origin}/welcome/${await welcomeLink(db, account.id)}` };
});
