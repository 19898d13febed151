import { examineTogether, examineTogetherSchema } from '$lib/server/records/import-together';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** What several files hold that were handed in before, and what of them names rows of others. */
export const POST = answering(async ({ request, locals }: RequestEvent) => {
  const wish = await readBody(request, examineTogetherSchema);
  return examineTogether(await readyDatabase(), await locals.house(), wish, locals.person.name);
});
