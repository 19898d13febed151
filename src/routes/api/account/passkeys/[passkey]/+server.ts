import { askerAt } from '$lib/server/access/let-in';
import { removePasskey } from '$lib/server/access/passkeys';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const DELETE = answering(async (event: RequestEvent) => {
  await removePasskey(await readyDatabase(), askerAt(event).person, event.params.passkey);
  return { done: true };
});
