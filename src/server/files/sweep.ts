import type { Database } from '../database/connection';
import { takeLease } from '../database/lease';
import { log } from '../log';
import { files } from './known';
import { removeFile } from './pieces';

/** A file that stands in no record is kept so long. Hours. */
const keptWaiting = 24;
/** Looked for so often. Milliseconds. */
const every = 60 * 60 * 1000;
/** At most so many at a time. */
const most = 500;

let timer: NodeJS.Timeout | null = null;

/** Sweeps now and then, in one process at a time. */
export function startSweeping(db: Database): void {
  const once = async () => {
    const lease = await takeLease(db, 'files');
    if (!lease) return;
    await sweepFiles(db).finally(() => lease.end());
  };
  timer = setInterval(
    () => void once().catch((err: unknown) => log.warn({ err }, 'files could not be swept')),
    every,
  ).unref();
}

/** Ends the sweeping. */
export function stopSweeping(): void {
  if (timer) clearInterval(timer);
  timer = null;
}

/**
 * Throws away files that stand in no record and in no draft, a day after they came, and the pieces that stand
 * in no file any more; gives how many files went.
 */
export async function sweepFiles(db: Database, hours = keptWaiting): Promise<number> {
  const old = await files(db, db.knex)
    .whereRaw('handed_at <= utc_timestamp() - interval ? hour', [hours])
    .whereNotExists((uses) =>
      uses.from(db.knex.raw('??.`file_use` as u', [db.catalog])).whereRaw('u.file = file.file'),
    )
    .limit(most)
    .select('file');
  let gone = 0;
  for (const { file } of old) if (await sweepFile(db, String(file))) gone++;
  return gone;
}

async function sweepFile(db: Database, file: string): Promise<boolean> {
  const draft = await db
    .knex('entry_draft')
    .withSchema(db.catalog)
    .whereRaw('content like ?', [`%${file}%`])
    .first('person');
  if (draft) return false;
  return removeFile(db, file);
}
