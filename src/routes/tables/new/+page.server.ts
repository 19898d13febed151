import type { PageServerLoad } from './$types';

const ways = ['files', 'paste', 'hand', 'package'] as const;

export const load: PageServerLoad = async ({ url, locals }) => {
  const asked = url.searchParams.get('from');
  const from = ways.find((way) => way === asked) ?? 'files';
  return { from, tables: [...(await locals.house()).values()] };
};
