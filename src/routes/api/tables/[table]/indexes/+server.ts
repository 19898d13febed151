import { lackingIndex } from '$lib/core/plan/indexes';
import { indexRequest } from '$lib/core/contract/requests';
import { fail } from '$lib/core/problems';
import { columnOf } from '$lib/core/table/definition';
import { ensureIndexes, tableFrom } from '$lib/server/catalog/tables';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** Makes an index by which a table is sorted and narrowed; others work on meanwhile. */
export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const { columns } = await readBody(request, indexRequest);
  const table = tableFrom(await locals.house(), params.table);
  const index = lackingIndex(table, { kind: 'order', columns });
  if (!index) {
    const labels = columns.map((key) => columnOf(table, key)?.label ?? key);
    return fail('no_index', { label: labels.join(', ') }, 422, 'columns');
  }
  await ensureIndexes(await readyDatabase(), [{ table: table.key, index }], locals.person.name);
  return { index };
});
