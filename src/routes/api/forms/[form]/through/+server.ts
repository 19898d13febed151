import { loadEdition } from '$lib/server/catalog/forms';
import { openThrough, throughSchema, writeThrough } from '$lib/server/records/through';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** The outside record of a key, as it is now. */
export const GET = answering(async ({ params, url, locals }: RequestEvent) => {
  const db = await readyDatabase();
  const { plan } = await loadEdition(db, params.form);
  return openThrough(db, await locals.house(), plan, url.searchParams.get('key') ?? '');
});

/** Writes the outside record back; nothing of it is kept here. */
export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const sent = await readBody(request, throughSchema);
  const db = await readyDatabase();
  const { plan } = await loadEdition(db, params.form);
  return writeThrough(db, await locals.house(), plan, sent, locals.person.name);
});
