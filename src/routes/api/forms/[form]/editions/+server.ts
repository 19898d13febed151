import { publishRequest } from '$lib/core/contract/requests';
import { json } from '@sveltejs/kit';
import { listEditions, publishForm } from '$lib/server/catalog/forms';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** The editions of a form, newest first. */
export const GET = answering(async ({ params }: RequestEvent) =>
  listEditions(await readyDatabase(), params.form),
);

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const { revision } = await readBody(request, publishRequest);
  const db = await readyDatabase();
  const form = await publishForm(db, params.form, revision, locals.person.name);
  return json(form, { status: 201 });
});
