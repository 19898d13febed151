import { listConnections } from '$lib/server/outside/connections';
import { queryUses } from '$lib/server/outside/uses';
import { queryFrom } from '$lib/server/outside/queries';
import { forPage } from '$lib/server/page';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params }) =>
  forPage(async () => {
    const db = await readyDatabase();
    const query = await queryFrom(db, params.query);
    return { query, connections: await listConnections(db), uses: await queryUses(db, query.key) };
  });
