import { json } from '@sveltejs/kit';
import { tableSchema } from '$lib/core/table/definition';
import { makeTable } from '$lib/server/catalog/tables';
import { countTables } from '$lib/server/records/count';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

export const GET = answering(async ({ locals }) => {
  const db = await readyDatabase();
  const tables = await locals.house();
  const counts = await countTables(db, tables);
  return [...tables.values()].map(({ key, title, columns }) => ({
    key,
    title,
    records: counts.get(key) ?? 0,
    columns,
  }));
});

export const POST = answering(async ({ request, locals }) => {
  const table = await readBody(request, tableSchema);
  await makeTable(await readyDatabase(), { ...table, indexes: [] }, locals.person.name);
  return json(table, { status: 201 });
});
