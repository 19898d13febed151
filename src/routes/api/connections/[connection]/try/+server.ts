import { trySystem } from '$lib/server/outside/reach';
import { endPause, reachSystem } from '$lib/server/outside/system';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** Milliseconds. */
const limit = 5000;

/** Reaches a system at once, also one that is left alone for a while, and says how it went. */
export const POST = answering(async ({ params, locals }: RequestEvent) => {
  const db = await readyDatabase();
  endPause(db, params.connection);
  const reaching = { query: null, limit, again: false };
  const tables = (await locals.house()).whole;
  const { gave, took } = await reachSystem(db, tables, params.connection, reaching, trySystem);
  return { said: gave, took };
});
