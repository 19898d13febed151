import fs from 'node:fs';
import type { Database } from '../database/connection';
import { momentOf, storedMoment } from '../database/moments';
import { settings } from '../settings';
import { makeBackup, type BackupWish } from './backup';
import type { Manifest } from './manifest';

/** A backup that was made, or tried. */
export interface BackupMade {
  at: string;
  file: string;
  bytes: number | null;
  /** Milliseconds. */
  took: number;
  state: 'good' | 'unchecked' | 'failed';
  reason: string | null;
}

/** Makes a backup, once its place is ready for it, and notes what came of it. */
export async function backUp(
  db: Database,
  url: string,
  wish: BackupWish,
  readied: () => Promise<void> = async () => {},
): Promise<Manifest> {
  const [at, begun] = [new Date(), performance.now()];
  const note = async (told: Pick<BackupMade, 'bytes' | 'state' | 'reason'>) => {
    looked.delete(db);
    await made(db).insert({
      ...{ at: storedMoment(at), file: wish.file.slice(-500) },
      ...{ took: Math.round(performance.now() - begun), ...told },
    });
  };
  let manifest: Manifest;
  try {
    await readied();
    manifest = await makeBackup(db, url, wish);
  } catch (error) {
    const reason = String((error as Error).message).slice(0, 400);
    await note({ bytes: null, state: 'failed', reason }).catch(() => undefined);
    throw error;
  }
  const { size: bytes } = await fs.promises.stat(wish.file);
  await note({ bytes, state: manifest.tables ? 'good' : 'unchecked', reason: null });
  return manifest;
}

/** The newest backups, the newest first. */
export async function lastBackups(db: Database, most = 20): Promise<BackupMade[]> {
  const rows = await made(db).orderBy('id', 'desc').limit(most);
  return (rows as (BackupMade & { at: unknown })[]).map((row) => ({
    ...{ at: momentOf(row.at), file: row.file, reason: row.reason },
    ...{ bytes: row.bytes === null ? null : Number(row.bytes) },
    ...{ took: Number(row.took), state: row.state },
  }));
}

/** What a keeper must know of backups: that the last one failed, or is older than the schedule says. */
export interface BackupState {
  /** Hours between backups that are made by themselves; `null` where none are. */
  every: number | null;
  last: BackupMade | null;
  lastGood: string | null;
  worry: 'failed' | 'old' | null;
}

export async function backupState(db: Database, now = new Date()): Promise<BackupState> {
  const [last = null] = await lastBackups(db, 1);
  const good = await made(db).whereNot({ state: 'failed' }).orderBy('id', 'desc').first('at');
  const every = everyHours();
  const lastGood = good ? momentOf(good.at) : null;
  return { every, last, lastGood, worry: worryOf(every, last, now) };
}

/** What is wrong with the backups, for a bar that stands over every page. */
export async function backupWorry(db: Database): Promise<BackupState['worry']> {
  const known = looked.get(db);
  if (known && performance.now() - known.at < fresh)
    return worryOf(everyHours(), known.last, new Date());
  const [last = null] = await lastBackups(db, 1);
  looked.set(db, { at: performance.now(), last });
  return worryOf(everyHours(), last, new Date());
}

/** Each page asks: the last backup is looked for again after so long, in milliseconds, or when one was made here. */
const fresh = 15_000;
const looked = new WeakMap<Database, { at: number; last: BackupMade | null }>();

function everyHours(): number | null {
  const { UNISOR_BACKUP_FOLDER: folder, UNISOR_BACKUP_EVERY: hours } = settings();
  return folder === '' ? null : hours;
}

/** A schedule is kept where a backup is not older than two of its steps. */
export function worryOf(
  every: number | null,
  last: Pick<BackupMade, 'state' | 'at'> | null,
  now: Date,
): BackupState['worry'] {
  if (last?.state === 'failed') return 'failed';
  if (every === null || last === null) return null;
  const hours = (now.getTime() - Date.parse(last.at)) / 3_600_000;
  return hours > 2 * every ? 'old' : null;
}

const made = (db: Database) => db.knex('backup_made').withSchema(db.catalog);
