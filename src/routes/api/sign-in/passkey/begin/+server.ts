import { siteOf } from '$lib/server/access/let-in';
import { beginSignIn } from '$lib/server/access/passkeys';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

/** What a passkey has to sign to sign in. */
export const POST = answering(async (event) => beginSignIn(await readyDatabase(), siteOf(event)));
