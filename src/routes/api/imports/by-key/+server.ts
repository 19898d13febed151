import { fail } from '$lib/core/problems';
import { byKeySchema, importByKey } from '$lib/server/records/import-by-key';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** Adds and changes records by the rows of a file that was handed in before, or says what would be done. */
export const POST = answering(async ({ request, locals }: RequestEvent) => {
  const wish = await readBody(request, byKeySchema);
  const rights = locals.asker?.rights;
  if (wish.add && !rights?.table(wish.table, 'add')) fail('not_allowed', {}, 403);
  if (wish.change && !rights?.table(wish.table, 'change')) fail('not_allowed', {}, 403);
  return importByKey(await readyDatabase(), await locals.house(), wish, locals.person.name);
});
