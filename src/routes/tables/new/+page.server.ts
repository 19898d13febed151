import { loadTables } from '$lib/server/catalog/tables';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

const ways = ['file', 'paste', 'hand'] as const;

export const load: PageServerLoad = async ({ url }) => {
  const asked = url.searchParams.get('from');
  const from = ways.find((way) => way === asked) ?? 'file';
  return { from, tables: [...(await loadTables(await readyDatabase())).values()] };
};
