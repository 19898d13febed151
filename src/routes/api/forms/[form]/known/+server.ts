import { fieldsOf, tableChoices } from '$lib/core/plan/schema';
import { loadDraft } from '$lib/server/catalog/forms';
import { loadTables } from '$lib/server/catalog/tables';
import { countTables } from '$lib/server/records/count';
import { findDependencies } from '$lib/server/records/dependencies';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/**
 * What the data say about the lookup of a field, for proposals: how many records the tables within its
 * reach have, and which columns of its table determine which.
 */
export const GET = answering(async ({ params, url }: RequestEvent) => {
  const db = await readyDatabase();
  const tables = await loadTables(db);
  const { plan } = await loadDraft(db, params.form);
  const field = fieldsOf(plan).find((f) => f.key === url.searchParams.get('field'));
  const table = tables.get((field && tableChoices(field)?.table) ?? '');
  const records = [...(await countTables(db, tables))];
  const dependencies = table ? [[table.key, await findDependencies(db, table)] as const] : [];
  return { records, dependencies };
});
