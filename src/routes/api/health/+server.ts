import { feelPulse } from '$lib/server/database/health';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import { version } from '../../../../package.json';

export const GET = answering(async () => {
  const db = await readyDatabase();
  await feelPulse(db);
  return { status: 'ok', database: 'ok', version };
});
