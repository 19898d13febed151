import { createHash } from 'node:crypto';
import fs from 'node:fs';
import path from 'node:path';
import { Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import yazl from 'yazl';
import { say } from '$lib/core/words/say';
import type { Database } from '../database/connection';
import { underLease } from '../database/lease';
import { migrationsDone } from '../database/migrate';
import { structuring } from '../database/structure';
import { contentsOf, dropSchemas, emptySchemas, keepsLog, loadDump } from './beside';
import { dumpName, manifestName, manifestSchema, seal, type Manifest } from './manifest';
import { reaching, run } from './programs';
import { release } from './release';

export interface BackupWish {
  /** Where it goes; what stands there is replaced once it is whole. */
  file: string;
  /** Whether it is restored beside the house before it is called good. */
  check: boolean;
  /** The key with which the house keeps secrets, and the passphrase under which it is sealed. */
  secret?: string | undefined;
  passphrase?: string | undefined;
  tell?: (line: string) => void;
}

/** Another backup, or a check, may take so long. Milliseconds. */
const mostWait = 60_000;

/**
 * Writes everything that a house holds into one file, as it is at one moment, while people work: only changes of
 * structure wait. The file is there whole or not at all. Source: `mariadb-dump --single-transaction`.
 */
export async function makeBackup(db: Database, url: string, wish: BackupWish): Promise<Manifest> {
  return underLease(db, 'backup', mostWait, async () => {
    const part = `${wish.file}.part`;
    const folder = `${part}.d`;
    await fs.promises.rm(folder, { recursive: true, force: true });
    await fs.promises.mkdir(folder, { recursive: true, mode: 0o700 });
    try {
      const dump = path.join(folder, dumpName);
      const dumped = await structuring(db, () => dumpTo(db, url, dump));
      const tables = wish.check ? await checked(db, url, dump, wish.tell) : null;
      const { secret, passphrase } = wish;
      const manifest = manifestSchema.parse({
        ...{ format: 'unisor backup 1', release, ...dumped, tables },
        ...{ catalog: db.catalog, records: db.records },
        key: secret && passphrase ? seal(secret, passphrase) : null,
      });
      await zipped(part, dump, manifest);
      await fs.promises.rename(part, wish.file);
      return manifest;
    } catch (error) {
      await fs.promises.rm(part, { force: true });
      throw isFull(error) ? new Error(noRoom(wish.file)) : error;
    } finally {
      await fs.promises.rm(folder, { recursive: true, force: true });
    }
  });
}

function isFull(error: unknown): boolean {
  return (error as { code?: unknown }).code === 'ENOSPC';
}

function noRoom(file: string): string {
  const folder = path.dirname(file);
  return say(
    `There is not enough room in ${folder} for the backup. What stood there is as it was.`,
  );
}

/** What the database dumps, compressed, with what is known of it. */
async function dumpTo(
  db: Database,
  url: string,
  file: string,
): Promise<Pick<Manifest, 'at' | 'dump' | 'log' | 'migrations'>> {
  const { args, password } = reaching(url);
  const kept = await keepsLog(db);
  const migrations = await migrationsDone(db);
  const dumping = run(
    'mariadb-dump',
    [
      ...args,
      ...['--single-transaction', '--quick', '--hex-blob', '--skip-lock-tables', '--tz-utc'],
      ...['--default-character-set=utf8mb4', '--max-allowed-packet=512M'],
      ...(kept ? ['--master-data=2'] : []),
      ...['--databases', db.catalog, db.records],
    ],
    password,
  );
  const at = new Date().toISOString();
  const packing = run('zstd', ['-c', '-q', '-3']);
  let head = '';
  const looking = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      if (head.length < 65_536) head += chunk.toString('latin1');
      done(null, chunk);
    },
  });
  const hash = createHash('sha256');
  let bytes = 0;
  const counting = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      hash.update(chunk);
      bytes += chunk.length;
      done(null, chunk);
    },
  });
  try {
    await Promise.all([
      pipeline(dumping.out, looking, packing.in),
      pipeline(packing.out, counting, fs.createWriteStream(file, { mode: 0o600 })),
      dumping.ended,
      packing.ended,
    ]);
  } catch (error) {
    for (const { kill } of [dumping, packing]) kill();
    throw error;
  }
  const found = /MASTER_LOG_FILE='([^']+)', MASTER_LOG_POS=(\d+)/.exec(head);
  const log = found ? { file: found[1] ?? '', position: Number(found[2]) } : null;
  return { at, migrations, log, dump: { bytes, sha256: hash.digest('hex') } };
}

/** Restores a dump beside the house, and gives what is in it. */
async function checked(
  db: Database,
  url: string,
  dump: string,
  tell: (line: string) => void = () => {},
): Promise<NonNullable<Manifest['tables']>> {
  const beside = { catalog: `${db.catalog}_check`, records: `${db.catalog}_check_records` };
  const schemas = Object.values(beside);
  tell('Restoring it beside, to see that it can be restored …');
  await emptySchemas(db.long, schemas);
  try {
    const names = { [db.catalog]: beside.catalog, [db.records]: beside.records };
    await loadDump(db, url, fs.createReadStream(dump), names);
    const tables = await contentsOf({ knex: db.long }, beside);
    if (tables.length === 0) throw new Error('Nothing was in the backup.');
    return tables;
  } finally {
    await dropSchemas(db.long, schemas);
  }
}

async function zipped(file: string, dump: string, manifest: Manifest): Promise<void> {
  const zip = new yazl.ZipFile();
  zip.addBuffer(Buffer.from(JSON.stringify(manifest, null, 2)), manifestName);
  zip.addFile(dump, dumpName, { compress: false, forceZip64Format: manifest.dump.bytes > 2 ** 31 });
  zip.end();
  const out = fs.createWriteStream(file, { mode: 0o600, flush: true });
  await pipeline(zip.outputStream as NodeJS.ReadableStream, out);
}
