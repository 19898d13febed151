import { revokeInvitation } from '$lib/server/access/invitations';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const DELETE = answering(async ({ params }: RequestEvent) => {
  await revokeInvitation(await readyDatabase(), params.id);
  return new Response(null, { status: 204 });
});
