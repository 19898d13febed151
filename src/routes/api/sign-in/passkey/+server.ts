import { cameFrom, handOver, siteOf } from '$lib/server/access/let-in';
import { passkeySchema, signInPasskey } from '$lib/server/access/passkeys';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

/** Signs in by a passkey. */
export const POST = answering(async (event) => {
  const sent = await readBody(event.request, passkeySchema);
  const db = await readyDatabase();
  handOver(event, await signInPasskey(db, sent, siteOf(event), cameFrom(event)));
  return { done: true };
});
