import { connectionFrom } from '$lib/server/outside/connections';
import { tellingForms } from '$lib/server/outside/uses';
import { listQueries } from '$lib/server/outside/queries';
import { pauseOf } from '$lib/server/outside/system';
import { lastAsked } from '$lib/server/outside/lately';
import { forPage } from '$lib/server/page';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params }) =>
  forPage(async () => {
    const db = await readyDatabase();
    const connection = await connectionFrom(db, params.connection);
    const queries = (await listQueries(db)).filter((query) => query.connection === connection.key);
    const asked = await lastAsked(db, connection.key);
    const told = await tellingForms(db, connection.key);
    return { connection, queries, told, asked, pause: pauseOf(db, connection.key) };
  });
