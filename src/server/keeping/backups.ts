import fs from 'node:fs';
import type { Database } from '../database/connection';
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

/** Makes a backup, and notes what came of it. */
export async function backUp(db: Database, url: string, wish: BackupWish): Promise<Manifest> {
  const [at, begun] = [new Date(), performance.now()];
  const note = async (told: Pick<BackupMade, 'bytes' | 'state' | 'reason'>) => {
    await made(db).insert({
      ...{ at: at.toISOString().slice(0, 23).replace('T', ' '), file: wish.file.slice(-500) },
      ...{ took: Math.round(performance.now() - begun), ...told },
    });
  };
  let manifest: Manifest;
  try {
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
    ...{ at: `${String(row.at).replace(' ', 'T')}Z`, file: row.file, reason: row.reason },
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
  const { UNISOR_BACKUP_FOLDER: folder, UNISOR_BACKUP_EVERY: hours } = settings();
  const every = folder === '' ? null : hours;
  const [last = null] = await lastBackups(db, 1);
  const good = await made(db).whereNot({ state: 'failed' }).orderBy('id', 'desc').first('at');
  const lastGood = good ? `${String(good.at).replace(' ', 'T')}Z` : null;
  return { every, last, lastGood, worry: worryOf(every, last, lastGood, now) };
}

/** A schedule is kept where a backup is not older than two of its steps. */
export function worryOf(
  every: number | null,
  last: Pick<BackupMade, 'state'> | null,
  lastGood: string | null,
  now: Date,
): BackupState['worry'] {
  if (last?.state === 'failed') return 'failed';
  if (every === null) return null;
  const hours = lastGood === null ? Infinity : (now.getTime() - Date.parse(lastGood)) / 3_600_000;
  return hours > 2 * every && last !== null ? 'old' : null;
}

const made = (db: Database) => db.knex('backup_made').withSchema(db.catalog);
