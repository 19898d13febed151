import { tableFrom } from '$lib/server/catalog/tables';
import { countTables } from '$lib/server/records/count';
import { findDependencies } from '$lib/server/records/dependencies';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/**
 * What the data say about a table, for proposals: which of its columns determine which, and how many
 * records the tables have.
 */
export const GET = answering(async ({ params, locals }: RequestEvent) => {
  const db = await readyDatabase();
  const tables = await locals.house();
  const table = tableFrom(tables, params.table);
  const records = [...(await countTables(db, tables))];
  return {
    records,
    dependencies: [[table.key, await findDependencies(db, tables, table)] as const],
  };
});
