import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import { version } from '../../../../package.json';

export const GET = answering(async () => {
  const db = await readyDatabase();
  await db.knex.raw('select 1');
  return { status: 'ok', database: 'ok', version };
});
