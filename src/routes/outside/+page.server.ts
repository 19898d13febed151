import { listConnections } from '$lib/server/outside/connections';
import { allowedHosts } from '$lib/server/outside/hosts';
import { queryUses } from '$lib/server/outside/uses';
import { listQueries } from '$lib/server/outside/queries';
import { connectionStates } from '$lib/server/outside/lately';
import { countSends } from '$lib/server/outside/outbox';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async () => {
  const db = await readyDatabase();
  const [connections, queries, states] = await Promise.all([
    listConnections(db),
    listQueries(db),
    connectionStates(db),
  ]);
  const used = queries.map(async (query) => ({ ...query, uses: await queryUses(db, query.key) }));
  return {
    connections: connections.map((connection) => ({
      ...connection,
      state: states.get(connection.key) ?? null,
    })),
    queries: await Promise.all(used),
    hosts: await allowedHosts(db),
    outbox: await countSends(db),
  };
};
