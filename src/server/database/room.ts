import { statfs } from 'node:fs/promises';
import os from 'node:os';
import { fail } from '$lib/core/problems';
import type { Database } from './connection';

/** With less room than this nothing is written: a database that finds none may end itself. Bytes. */
const leastRoom = 96 * 1024 * 1024;
/** Free room is looked at so often at most. Milliseconds. */
const lookEvery = 100;

/** The folder of the database's data, where it stands on this machine; `null` where it does not, or is not known. */
let folder: Promise<string | null> | null = null;
let looked = 0;
let full = false;

/**
 * Refuses to write where the disk of the database is nearly full. Reads go on, and writing, too, as soon as
 * there is room again. Of a database on another machine only its own refusal is known.
 */
export async function refuseFull(db: Pick<Database, 'knex'>): Promise<void> {
  const now = Date.now();
  if (now - looked >= lookEvery) {
    looked = now;
    full = await isNearlyFull(db);
  }
  if (full) fail('disk_full', {}, 503);
}

async function isNearlyFull(db: Pick<Database, 'knex'>): Promise<boolean> {
  folder ??= dataFolder(db);
  const path = await folder.catch(() => {
    // Asked again the next time: the database was away.
    folder = null;
    return null;
  });
  if (path === null) return false;
  try {
    const { bavail, bsize } = await statfs(path);
    return bavail * bsize < leastRoom;
  } catch {
    return false;
  }
}

async function dataFolder({ knex }: Pick<Database, 'knex'>): Promise<string | null> {
  const [[row]] = await knex.raw('select @@hostname as host, @@datadir as folder');
  const { host, folder: path } = row as { host: string; folder: string };
  return host === os.hostname() ? path : null;
}
