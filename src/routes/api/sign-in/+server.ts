import { signIn, signInSchema } from '$lib/server/access/sign-in';
import { cameFrom, handOver } from '$lib/server/access/let-in';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

/** Signs in with name and password; 401 with `code_needed` where a one-time code is to come with them. */
export const POST = answering(async (event) => {
  const given = await readBody(event.request, signInSchema);
  handOver(event, await signIn(await readyDatabase(), given, cameFrom(event)));
  return { done: true };
});
