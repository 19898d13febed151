import { sourcesOf } from '$lib/core/table/sources';
import { designedIn } from '$lib/server/catalog/designed';
import { formHead } from '$lib/server/catalog/forms';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** All tables, lists, queries and systems, as a form is designed with them. */
export const GET = answering(async ({ params, locals }: RequestEvent) => {
  const db = await readyDatabase();
  const { key } = await formHead(db, params.form);
  const { whole } = await locals.house();
  return sourcesOf(await designedIn(db, whole, key, await locals.forms()));
});
