import { listChangeRequest } from '$lib/core/contract/requests';
import { changeList, listFrom, removeList } from '$lib/server/catalog/lists';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const GET = answering(async ({ params }: RequestEvent) =>
  listFrom(await readyDatabase(), params.list),
);

export const PUT = answering(async ({ params, request, locals }: RequestEvent) => {
  const { revision, ...change } = await readBody(request, listChangeRequest);
  const list = { ...change, key: params.list };
  return changeList(await readyDatabase(), list, revision, locals.person.name);
});

export const DELETE = answering(async ({ params }: RequestEvent) => {
  await removeList(await readyDatabase(), params.list);
  return new Response(null, { status: 204 });
});
