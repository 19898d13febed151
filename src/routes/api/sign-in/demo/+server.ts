import { z } from 'zod';
import { cameFrom, handOver } from '$lib/server/access/let-in';
import { signInDemo } from '$lib/server/access/sign-in';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

const demoSchema = z.strictObject({ name: z.string().max(100) });

/** Signs in as one of the people of the demo. */
export const POST = answering(async (event) => {
  const { name } = await readBody(event.request, demoSchema);
  handOver(event, await signInDemo(await readyDatabase(), name, cameFrom(event)));
  return { done: true };
});
