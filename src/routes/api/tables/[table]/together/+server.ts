import { togetherRequest } from '$lib/core/contract/requests';
import { fail } from '$lib/core/problems';
import { askerAt } from '$lib/server/access/let-in';
import { tableFrom } from '$lib/server/catalog/tables';
import { writeTogether } from '$lib/server/records/write';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const wish = await readBody(request, togetherRequest);
  const { rights } = askerAt({ locals });
  for (const deed of ['add', 'change', 'remove'] as const) {
    if (wish[deed].length > 0 && !rights.table(params.table, deed)) fail('not_allowed', {}, 403);
  }
  const db = await readyDatabase();
  const tables = await locals.house();
  const table = tableFrom(tables, params.table);
  return { submission: await writeTogether(db, tables, table, wish, locals.person.name) };
});
