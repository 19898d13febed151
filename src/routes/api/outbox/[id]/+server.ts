import { outboxRequest } from '$lib/core/contract/requests';
import { settleSend } from '$lib/server/outside/outbox';
import { answering, readBody, recordId } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const POST = answering(async ({ params, request }: RequestEvent) => {
  const { step } = await readBody(request, outboxRequest);
  await settleSend(await readyDatabase(), recordId(params.id, 'outbox'), step);
  return new Response(null, { status: 204 });
});
