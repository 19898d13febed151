import { z } from 'zod';
import { accountSchema } from '$lib/core/access/person';
import { accountAt, changeAccount, removeAccount } from '$lib/server/access/accounts';
import { noteEvent } from '$lib/server/access/activity';
import { accountId, askerAt, refuseHigher } from '$lib/server/access/let-in';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

const { name, shown, email, roles, link } = accountSchema.shape;
const changeSchema = z
  .strictObject({
    ...{ name, shown, roles },
    email: email.unwrap(),
    link: link.unwrap(),
    state: z.enum(['active', 'locked']),
  })
  .partial();

export const PATCH = answering(async (event: RequestEvent) => {
  const change = await readBody(event.request, changeSchema);
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
