import { redirect } from '@sveltejs/kit';
import { hasNoPeople } from '$lib/server/access/accounts';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ url }) => {
  if (!(await hasNoPeople(await readyDatabase()))) redirect(303, '/sign-in');
  return { code: url.searchParams.get('code')?.slice(0, 100) ?? '' };
};
