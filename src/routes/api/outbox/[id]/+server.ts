import { z } from 'zod';
import { settleSend } from '$lib/server/outside/outbox';
import { answering, readBody, recordId } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

const stepSchema = z.strictObject({ step: z.enum(['retry', 'drop']) });

export const POST = answering(async ({ params, request }: RequestEvent) => {
  const { step } = await readBody(request, stepSchema);
  await settleSend(await readyDatabase(), recordId(params.id, 'outbox'), step);
  return new Response(null, { status: 204 });
});
