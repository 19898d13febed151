import { json } from '@sveltejs/kit';
import { optionListSchema } from '$lib/core/table/option-list';
import { listLists, makeList } from '$lib/server/catalog/lists';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

export const GET = answering(async () => listLists(await readyDatabase()));

export const POST = answering(async ({ request, locals }) => {
  const list = await readBody(request, optionListSchema);
  const made = await makeList(await readyDatabase(), list, locals.person.name);
  return json(made, { status: 201 });
});
