import { z } from 'zod';
import { cameFrom, handOver } from '$lib/server/access/let-in';
import { welcome } from '$lib/server/access/sign-in';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

const passwordSchema = z.strictObject({ password: z.string().max(1000) });

/** Sets a password by a link of welcome, and signs in. */
export const POST = answering(async (event: RequestEvent) => {
  const { password } = await readBody(event.request, passwordSchema);
  const { secret } = event.params;
  handOver(event, await welcome(await readyDatabase(), secret, password, cameFrom(event)));
  return { done: true };
});
