import { accountSchema } from '$lib/core/access/person';
import { cameFrom, handOver } from '$lib/server/access/let-in';
import { setUp, setUpSchema } from '$lib/server/access/sign-in';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

const { name, shown } = accountSchema.shape;

/** Makes the first keeper, with the code that the start command has printed. */
export const POST = answering(async (event) => {
  const given = await readBody(event.request, setUpSchema.extend({ name, shown }));
  handOver(event, await setUp(await readyDatabase(), given, cameFrom(event)));
  return { done: true };
});
