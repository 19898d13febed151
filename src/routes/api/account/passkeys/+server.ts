import { json } from '@sveltejs/kit';
import { askerAt, siteOf } from '$lib/server/access/let-in';
import { keepPasskey, passkeyMadeSchema } from '$lib/server/access/passkeys';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

/** Keeps a passkey that the browser has made. */
export const POST = answering(async (event) => {
  const { name, passkey } = await readBody(event.request, passkeyMadeSchema);
  const { person } = askerAt(event);
  await keepPasskey(await readyDatabase(), person, name, passkey, siteOf(event));
  return json({ done: true }, { status: 201 });
});
