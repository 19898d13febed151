import { passwordRequest } from '$lib/core/contract/requests';
import { cameFrom, handOver } from '$lib/server/access/let-in';
import { welcome } from '$lib/server/access/sign-in';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** Sets a password by a link of welcome, and signs in. */
export const POST = answering(async (event: RequestEvent) => {
  const { password } = await readBody(event.request, passwordRequest);
  const { secret } = event.params;
  handOver(event, await welcome(await readyDatabase(), secret, password, cameFrom(event)));
  return { done: true };
});
