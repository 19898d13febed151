import { passwordChangeRequest } from '$lib/core/contract/requests';
import { askerAt, cameFrom, handOver } from '$lib/server/access/let-in';
import { changePassword } from '$lib/server/access/sign-in';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

/** Changes one's own password; all other sessions end. */
export const PUT = answering(async (event) => {
  const given = await readBody(event.request, passwordChangeRequest);
  const { person } = askerAt(event);
  handOver(event, await changePassword(await readyDatabase(), person, given, cameFrom(event)));
  return { done: true };
});
