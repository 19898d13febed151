import { accountChangeRequest } from '$lib/core/contract/requests';
import { accountAt, changeAccount, removeAccount } from '$lib/server/access/accounts';
import { noteEvent } from '$lib/server/access/activity';
import { accountId, askerAt, refuseHigher } from '$lib/server/access/let-in';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const PATCH = answering(async (event: RequestEvent) => {
  const change = await readBody(event.request, accountChangeRequest);
  const asker = askerAt(event);
  const db = await readyDatabase();
  const id = accountId(event.params.account);
  refuseHigher(asker, [...(change.roles ?? []), ...(await accountAt(db, id)).roles]);
  const account = await changeAccount(db, id, change);
  await noteEvent(db, {
    ...{ kind: 'account_changed', person: asker.person.shown, about: account.shown },
  });
  return account;
});

export const DELETE = answering(async (event: RequestEvent) => {
  const asker = askerAt(event);
  const db = await readyDatabase();
  const account = await accountAt(db, accountId(event.params.account));
  refuseHigher(asker, account.roles);
  await removeAccount(db, account.id);
  await noteEvent(db, {
    ...{ kind: 'account_removed', person: asker.person.shown, about: account.shown },
  });
  return new Response(null, { status: 204 });
});
