import { demoRequest } from '$lib/core/contract/requests';
import { cameFrom, handOver } from '$lib/server/access/let-in';
import { signInDemo } from '$lib/server/access/sign-in';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

/** Signs in as one of the people of the demo. */
export const POST = answering(async (event) => {
  const { name } = await readBody(event.request, demoRequest);
  handOver(event, await signInDemo(await readyDatabase(), name, cameFrom(event)));
  return { done: true };
});
