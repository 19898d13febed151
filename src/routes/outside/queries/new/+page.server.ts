import { listConnections } from '$lib/server/outside/connections';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async () => ({
  connections: await listConnections(await readyDatabase()),
});
