import { fail } from '$lib/core/problems';
import { columnOf } from '$lib/core/table/definition';
import { tableFrom } from '$lib/server/catalog/tables';
import { findMatches } from '$lib/server/records/matches';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** Which tables have the values of the column as keys. */
export const GET = answering(async ({ params, locals }: RequestEvent) => {
  const db = await readyDatabase();
  const tables = await locals.house();
  const table = tableFrom(tables, params.table);
  const details = { table: table.title, column: params.column };
  const column = columnOf(table, params.column) ?? fail('unknown_column', details, 404);
  return findMatches(db, tables, table, column);
});
