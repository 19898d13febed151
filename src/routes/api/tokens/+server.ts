import { json } from '@sveltejs/kit';
import { noteEvent } from '$lib/server/access/activity';
import { askerAt } from '$lib/server/access/let-in';
import { listTokens, makeToken, tokenSchema } from '$lib/server/access/tokens';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

/** The tokens of one's own programs. */
export const GET = answering(async (event) =>
  listTokens(await readyDatabase(), askerAt(event).owner),
);

/** Makes a token; its secret is said this once. */
export const POST = answering(async (event) => {
  const wish = await readBody(event.request, tokenSchema);
  const asker = askerAt(event);
  const db = await readyDatabase();
  const made = await makeToken(db, asker, wish);
  await noteEvent(db, { kind: 'token_made', person: asker.person.shown, about: wish.name });
  return json(made, { status: 201 });
});
