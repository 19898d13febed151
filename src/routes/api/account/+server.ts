import { ownAccountRequest } from '$lib/core/contract/requests';
import { accountAt, changeOwn } from '$lib/server/access/accounts';
import { askerAt } from '$lib/server/access/let-in';
import { listSessions } from '$lib/server/access/sessions';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

/** Who asks: the account, and its sessions. */
export const GET = answering(async (event) => {
  const { owner } = askerAt(event);
  const db = await readyDatabase();
  return { account: await accountAt(db, owner), sessions: await listSessions(db, owner) };
});

/** Changes what people say of themselves. */
export const PATCH = answering(async (event) => {
  const change = await readBody(event.request, ownAccountRequest);
  return changeOwn(await readyDatabase(), askerAt(event).owner, change);
});
