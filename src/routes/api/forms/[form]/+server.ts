import { formHead, removeForm } from '$lib/server/catalog/forms';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const GET = answering(async ({ params }: RequestEvent) =>
  formHead(await readyDatabase(), params.form),
);

export const DELETE = answering(async ({ params }: RequestEvent) => {
  await removeForm(await readyDatabase(), params.form);
  return new Response(null, { status: 204 });
});
