import { listConnections } from '$lib/server/outside/connections';
import { countSends, listSends } from '$lib/server/outside/outbox';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends, locals }) => {
  depends('unisor:outbox');
  const db = await readyDatabase();
  return {
    sends: await listSends(db),
    counts: await countSends(db),
    connections: await listConnections(db),
    forms: (await locals.forms()).map(({ key, title }) => ({ key, title })),
  };
};
