import {
  importTogether,
  RejectedTogetherError,
  togetherInSchema,
} from '$lib/server/records/import-together';
import { answering, answerLines, problemsOf, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/**
 * Brings in several files that were handed in before; answers with a line of JSON per step (NDJSON):
 * `{"rows": n}` while it reads, then `{"result": …}` or `{"status": …, "problems": […]}`.
 */
export const POST = answering(async ({ request, locals }: RequestEvent) => {
  const wish = await readBody(request, togetherInSchema);
  const db = await readyDatabase();
  return answerLines(async (say) => {
    try {
      const { name } = locals.person;
      say({ result: await importTogether(db, wish, name, (rows) => say({ rows })) });
    } catch (error) {
      const result = error instanceof RejectedTogetherError ? { result: error.result } : {};
      say({ ...problemsOf(error, locals.requestId), ...result });
    }
  });
});
