import { z } from 'zod';
import { optionListSchema } from '$lib/core/table/option-list';
import { changeList, listFrom, removeList } from '$lib/server/catalog/lists';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

const changeSchema = optionListSchema
  .omit({ key: true })
  .extend({ revision: z.number().int().min(1) });

export const GET = answering(async ({ params }: RequestEvent) =>
  listFrom(await readyDatabase(), params.list),
);

export const PUT = answering(async ({ params, request, locals }: RequestEvent) => {
  const { revision, ...change } = await readBody(request, changeSchema);
  const list = { ...change, key: params.list };
  return changeList(await readyDatabase(), list, revision, locals.person.name);
});

export const DELETE = answering(async ({ params }: RequestEvent) => {
  await removeList(await readyDatabase(), params.list);
  return new Response(null, { status: 204 });
});
