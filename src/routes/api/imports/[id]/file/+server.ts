import { fail } from '$lib/core/problems';
import { checkImport, RejectedError, runImport } from '$lib/server/records/import';
import type { ImportResult } from '$lib/core/contract/answers';
import { answering, answerLines, problemsOf } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/**
 * Takes the file of an import as a stream and answers with a line of JSON per step (NDJSON):
 * `{"rows": n}` while it reads, then `{"result": …}` or `{"status": …, "problems": […]}`.
 * With `?check=1` the file is only read through.
 */
export const PUT = answering(async ({ params, request, url, locals }: RequestEvent) => {
  if (!request.body) fail('file_empty', {}, 422, 'file');
  const body = request.body;
  const db = await readyDatabase();
  const check = url.searchParams.has('check');
  const work = (progress: (rows: number) => void): Promise<ImportResult> =>
    check
      ? checkImport(db, params.id, body, progress)
      : runImport(db, params.id, body, locals.person.name, progress);
  return answerLines(async (say) => {
    try {
      say({ result: await work((rows) => say({ rows })) });
    } catch (error) {
      const result = error instanceof RejectedError ? { result: error.result } : {};
      say({ ...problemsOf(error, locals.requestId), ...result });
    }
  });
});
