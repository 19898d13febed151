import { json } from '@sveltejs/kit';
import { z } from 'zod';
import { askerAt, siteOf } from '$lib/server/access/let-in';
import { keepPasskey, passkeySchema } from '$lib/server/access/passkeys';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

const madeSchema = z.strictObject({
  name: z.string().trim().min(1).max(100),
  passkey: passkeySchema,
});

/** Keeps a passkey that the browser has made. */
export const POST = answering(async (event) => {
  const { name, passkey } = await readBody(event.request, madeSchema);
  const { person } = askerAt(event);
  await keepPasskey(await readyDatabase(), person, name, passkey, siteOf(event));
  return json({ done: true }, { status: 201 });
});
