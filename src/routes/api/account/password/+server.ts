import { z } from 'zod';
import { askerAt, cameFrom, handOver } from '$lib/server/access/let-in';
import { changePassword } from '$lib/server/access/sign-in';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

const changeSchema = z.strictObject({
  current: z.string().max(1000),
  password: z.string().max(1000),
});

/** Changes one's own password; all other sessions end. */
export const PUT = answering(async (event) => {
  const given = await readBody(event.request, changeSchema);
  const { person } = askerAt(event);
  handOver(event, await changePassword(await readyDatabase(), person, given, cameFrom(event)));
  return { done: true };
});
