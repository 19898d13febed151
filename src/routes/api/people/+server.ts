import { json } from '@sveltejs/kit';
import { accountSchema } from '$lib/core/access/person';
import { listAccounts, makeAccount, welcomeLink } from '$lib/server/access/accounts';
import { noteEvent } from '$lib/server/access/activity';
import { askerAt, refuseHigher } from '$lib/server/access/let-in';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

export const GET = answering(async () => listAccounts(await readyDatabase()));

/** Makes an account, with a link by which its person sets a password; the link is said this once. */
export const POST = answering(async (event) => {
  const wish = await readBody(event.request, accountSchema);
  const asker = askerAt(event);
  refuseHigher(asker, wish.roles);
  const db = await readyDatabase();
  const account = await makeAccount(db, wish);
  await noteEvent(db, { kind: 'account_made', person: asker.person.shown, about: account.shown });
  const link = `${event.url.origin}/welcome/${await welcomeLink(db, account.id)}`;
  return json({ account, link }, { status: 201 });
});
