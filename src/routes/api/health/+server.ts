import { feelPulse } from '$lib/server/database/health';
import { worriesOf } from '$lib/server/keeping/worries';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import { version } from '../../../../package.json';

export const GET = answering(async () => {
  const db = await readyDatabase();
  await feelPulse(db);
  const worries = await worriesOf(db);
  return { status: worries.length === 0 ? 'ok' : 'worry', database: 'ok', version, worries };
});
