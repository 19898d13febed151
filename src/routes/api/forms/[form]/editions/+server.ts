import { publishRequest } from '$lib/core/contract/requests';
import { json } from '@sveltejs/kit';
import { listEditions } from '$lib/server/catalog/forms';
import { publishRehearsed } from '$lib/server/keeping/rehearse';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** The editions of a form, newest first. */
export const GET = answering(async ({ params }: RequestEvent) =>
  listEditions(await readyDatabase(), params.form),
);

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const wish = await readBody(request, publishRequest);
  const db = await readyDatabase();
  const stage = { db, house: await locals.house() };
  const form = await publishRehearsed(stage, params.form, wish, locals.person.name);
  return json(form, { status: 201 });
});
