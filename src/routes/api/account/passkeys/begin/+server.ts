import { askerAt, siteOf } from '$lib/server/access/let-in';
import { beginPasskey } from '$lib/server/access/passkeys';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

/** What a browser needs to make a passkey. */
export const POST = answering(async (event) =>
  beginPasskey(await readyDatabase(), askerAt(event).person, siteOf(event)),
);
