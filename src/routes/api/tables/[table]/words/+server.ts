import { tableFrom } from '$lib/server/catalog/tables';
import { indexWords, wordsFor } from '$lib/server/keeping/words';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** How far the words have come by which records of a table are found. */
export const GET = answering(async ({ params, locals }: RequestEvent) => {
  const tables = await locals.house();
  return wordsFor(await readyDatabase(), tables, tableFrom(tables, params.table));
});

/** Has them taken in; others work on meanwhile. */
export const POST = answering(async ({ params, locals }: RequestEvent) => {
  const tables = await locals.house();
  const table = tableFrom(tables, params.table);
  return indexWords(await readyDatabase(), tables, table, locals.person.name);
});
