import { countTables } from '$lib/server/records/count';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ locals }) => {
  const db = await readyDatabase();
  const tables = await locals.house();
  const counts = await countTables(db, tables);
  return {
    tables: [...tables.values()].map(({ key, title, columns, display }) => ({
      ...{ key, title, records: counts.get(key) ?? 0, columns: columns.length },
      shown: display.map((of) => columns.find((column) => column.key === of)?.label ?? of),
      refersTo: [
        ...new Set(columns.flatMap(({ type }) => (type.kind === 'reference' ? [type.table] : []))),
      ].map((of) => tables.get(of)?.title ?? of),
    })),
  };
};
