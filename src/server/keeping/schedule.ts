import fs from 'node:fs';
import path from 'node:path';
import { say } from '$lib/core/words/say';
import type { Database } from '../database/connection';
import { takeLease } from '../database/lease';
import { log } from '../log';
import { settings } from '../settings';
import { backUp, lastBackups } from './backups';

/** Looked for so often. Milliseconds. */
const every = 60_000;
const ourName = /^unisor-\d{8}T\d{6}Z\.zip$/;
/** What a backup leaves that was killed while it was made. */
const ourPart = /^unisor-\d{8}T\d{6}Z\.zip\.part(\.d)?$/;

let timer: NodeJS.Timeout | null = null;

/** Makes backups by themselves, in one process at a time, as the settings say. */
export function startBackups(db: Database): void {
  if (settings().UNISOR_BACKUP_FOLDER === '') return;
  const once = () =>
    void backUpIfDue(db).catch((err: unknown) => log.warn({ err }, 'a backup failed'));
  once();
  timer = setInterval(once, every).unref();
}

/** Ends the making of backups. */
export function stopBackups(): void {
  if (timer) clearInterval(timer);
  timer = null;
}

/** Makes a backup where the last one, failed or not, is as old as the settings say; gives whether one was made. */
export async function backUpIfDue(db: Database, now = new Date()): Promise<boolean> {
  const set = settings();
  const { UNISOR_BACKUP_FOLDER: folder, UNISOR_DATABASE_URL: url = '' } = set;
  const lease = await takeLease(db, 'schedule');
  if (!lease) return false;
  try {
    const [last] = await lastBackups(db, 1);
    if (last && now.getTime() - Date.parse(last.at) < set.UNISOR_BACKUP_EVERY * 3_600_000)
      return false;
    const name = `unisor-${now.toISOString().replace(/[-:]|\.\d+/g, '')}.zip`;
    const file = path.join(folder, name);
    const { UNISOR_SECRET: secret, UNISOR_PASSPHRASE: passphrase } = set;
    await backUp(db, url, { file, check: true, secret, passphrase }, async () => {
      try {
        await fs.promises.mkdir(folder, { recursive: true, mode: 0o700 });
        await removeParts(folder);
      } catch (error) {
        throw new Error(noFolder(folder, (error as Error).message), { cause: error });
      }
    });
    await removeOld(folder, set.UNISOR_BACKUP_KEEP);
    return true;
  } finally {
    await lease.end();
  }
}

function noFolder(folder: string, why: string): string {
  return say(`Backups cannot be kept in ${folder}: ${why}`);
}

/** Removes what is left of backups that came to no end; no other is made meanwhile. */
async function removeParts(folder: string): Promise<void> {
  for (const name of (await fs.promises.readdir(folder)).filter((one) => ourPart.test(one)))
    await fs.promises.rm(path.join(folder, name), { recursive: true, force: true });
}

/** Keeps the newest backups of a folder; what was not made by itself stays. */
async function removeOld(folder: string, keep: number): Promise<void> {
  const names = (await fs.promises.readdir(folder)).filter((name) => ourName.test(name)).sort();
  for (const name of names.slice(0, -keep)) await fs.promises.rm(path.join(folder, name));
}
