import { z } from 'zod';
import { planSchema } from '$lib/core/plan/schema';
import { keepDraft, loadDraft } from '$lib/server/catalog/forms';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

const draftSchema = z.strictObject({ revision: z.number().int().min(1), plan: planSchema });

export const GET = answering(async ({ params }: RequestEvent) =>
  loadDraft(await readyDatabase(), params.form),
);

export const PUT = answering(async ({ params, request, locals }: RequestEvent) => {
  const { revision, plan } = await readBody(request, draftSchema);
  return keepDraft(await readyDatabase(), params.form, revision, plan, locals.person.name);
});
