import { queryTryRequest } from '$lib/core/contract/requests';
import { tryQuery } from '$lib/server/outside/ask';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

/** Asks a query as it is being designed, and gives the answer as it came: cut, where it is long. */
export const POST = answering(async ({ request, locals }) => {
  const { query, values } = await readBody(request, queryTryRequest);
  const db = await readyDatabase();
  const { answer, rows, took } = await tryQuery(db, (await locals.house()).whole, query, values);
  const shown = Array.isArray(answer) ? answer.slice(0, 20) : answer;
  return {
    answer: shown,
    rows: rows && { ...rows, rows: rows.rows.slice(0, 50) },
    found: rows?.rows.length ?? 0,
    took,
  };
});
