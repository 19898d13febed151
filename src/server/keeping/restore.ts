import { createHash } from 'node:crypto';
import fs from 'node:fs';
import path from 'node:path';
import { Writable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { ProblemError } from '$lib/core/problems';
import type { Database } from '../database/connection';
import { leases } from '../database/lease';
import { knownMigrations } from '../database/migrate';
import { rowsOf } from '../database/rows';
import { openZip, type ReceivedZip } from '../zip-file';
import { contentsOf, dropSchemas, emptySchemas, loadDump } from './beside';
import { dumpName, manifestName, manifestSchema, unseal, type Manifest } from './manifest';
import { reaching, run } from './programs';

export interface RestoreWish {
  file: string;
  /** Whether a house that is there may be replaced. */
  replace: boolean;
  passphrase?: string | undefined;
  /** Replays what was done after the backup, up to this moment, from the logs in this folder. */
  until?: { at: Date; logs: string } | undefined;
  tell?: (line: string) => void;
}

/** What came of it: the backup that was restored, and the key with which its secrets are kept, where it had one. */
export interface Restored {
  manifest: Manifest;
  secret: string | null;
}

/**
 * Brings a house back as a backup holds it. All of it is loaded beside what is there and compared with what the backup
 * says; only then it takes its place, in one statement. Fails with a sentence, and leaves what is there as it is.
 */
export async function restoreBackup(
  db: Database,
  url: string,
  { file, replace, passphrase, until, tell = () => {} }: RestoreWish,
): Promise<Restored> {
  const zip = await backupAt(file);
  try {
    const manifest = await manifestOf(zip);
    const secret = keyOf(manifest, passphrase);
    if (until) refuseUntil(manifest, until);
    await refuseOver(db, replace);
    tell(`Reading the backup of ${manifest.at} …`);
    await refuseDamaged(zip, manifest);
    const beside = { catalog: `${db.catalog}_restored`, records: `${db.catalog}_restored_records` };
    await emptySchemas(db.long, Object.values(beside));
    try {
      tell('Loading it beside what is there …');
      const names = { [manifest.catalog]: beside.catalog, [manifest.records]: beside.records };
      await loadDump(db, url, await zip.open(dumpName), names);
      await refuseOther(db, manifest, beside);
      tell('Putting it in its place …');
      await takePlace(db, beside, async () => {
        if (until) await replay(db, url, manifest, until, tell);
      });
    } finally {
      await dropSchemas(db.long, Object.values(beside));
    }
    return { manifest, secret };
  } finally {
    await zip.end();
  }
}

async function backupAt(file: string): Promise<ReceivedZip> {
  if (!fs.existsSync(file)) throw new Error(`There is no file ${file}.`);
  return openZip(file).catch(() => {
    throw new Error(`${file} is no backup of Unisor, or it is damaged.`);
  });
}

async function manifestOf(zip: ReceivedZip): Promise<Manifest> {
  const foreign = () => new Error('The file is no backup of Unisor.');
  if (!zip.has(manifestName) || !zip.has(dumpName)) throw foreign();
  const given = await zip.json(manifestName).catch((error: unknown) => {
    throw error instanceof ProblemError ? foreign() : error;
  });
  const read = manifestSchema.safeParse(given);
  if (!read.success) throw foreign();
  const newer = read.data.migrations.filter((name) => !knownMigrations.includes(name));
  if (newer.length > 0) {
    throw new Error(
      `The backup is of a newer Unisor (${read.data.release}). Restore it with that one.`,
    );
  }
  return read.data;
}

function keyOf({ key }: Manifest, passphrase: string | undefined): string | null {
  if (!key) return null;
  if (!passphrase) {
    throw new Error('The key in the backup is sealed. Give its passphrase in UNISOR_PASSPHRASE.');
  }
  const secret = unseal(key, passphrase);
  if (secret === null) throw new Error('The passphrase is wrong. Nothing was changed.');
  return secret;
}

/** Refuses to replace a house without being told to, and says what would be replaced. */
async function refuseOver(db: Database, replace: boolean): Promise<void> {
  const rows = await rowsOf(
    db.knex,
    `select count(*) as tables, coalesce(sum(table_rows), 0) as records
     from information_schema.tables where table_schema = ?`,
    [db.records],
  );
  const [tables, records] = [Number(rows[0]?.tables), Number(rows[0]?.records)];
  if (tables === 0 || replace) return;
  throw new Error(
    `There is a house with ${tables} tables and about ${records} records. Give --replace to put the backup in its place.`,
  );
}

/** Reads the dump once and compares it with what the manifest says of it. */
async function refuseDamaged(zip: ReceivedZip, { dump }: Manifest): Promise<void> {
  const hash = createHash('sha256');
  const sink = new Writable({
    write(chunk: Buffer, _encoding, done) {
      hash.update(chunk);
      done();
    },
  });
  const damaged = () => new Error('The backup is damaged: its content is not what was written.');
  try {
    await pipeline(await zip.open(dumpName), sink);
  } catch {
    throw damaged();
  }
  if (hash.digest('hex') !== dump.sha256) throw damaged();
}

/** Compares what was loaded with what the backup held when it was checked. */
async function refuseOther(
  db: Database,
  { tables }: Manifest,
  beside: { catalog: string; records: string },
): Promise<void> {
  const there = await contentsOf({ knex: db.long }, beside);
  if (there.length === 0) throw new Error('Nothing is in the backup.');
  if (!tables) return;
  const told = (list: NonNullable<Manifest['tables']>) =>
    new Map(
      list.map(({ schema, table, rows, checksum }) => [
        `${schema}.${table}`,
        `${rows} ${checksum}`,
      ]),
    );
  const now = told(there);
  const other = [...told(tables)].find(([name, what]) => now.get(name) !== what);
  if (other || now.size !== tables.length) {
    throw new Error(`The backup is damaged: ${other?.[0] ?? 'a table'} is not as it was.`);
  }
}

/**
 * Lets the schemas beside take the place of those that are there, in one statement; and back again where what follows
 * fails.
 */
async function takePlace(
  db: Database,
  beside: { catalog: string; records: string },
  then: () => Promise<void>,
): Promise<void> {
  const before = { catalog: `${db.catalog}_before`, records: `${db.catalog}_before_records` };
  const here = { catalog: db.catalog, records: db.records };
  await emptySchemas(db.long, Object.values(before));
  for (const schema of Object.values(here)) {
    await db.long.raw(
      'create database if not exists ?? character set utf8mb4 collate utf8mb4_uca1400_ai_ci',
      [schema],
    );
  }
  await moveTables(db, [
    [here, before],
    [beside, here],
  ]);
  try {
    await then();
    // What was being worked on at that moment is not worked on any more.
    await leases(db).delete();
    await raiseRevisions(db, before.catalog);
  } catch (error) {
    await emptySchemas(db.long, Object.values(here));
    await moveTables(db, [[before, here]]);
    await dropSchemas(db.long, Object.values(before));
    throw error;
  }
  await dropSchemas(db.long, Object.values(before));
}

/**
 * Raises what a restored house counts its changes by above all that the house before has counted: servers that go on
 * with it know what they have read by these numbers, and would take another thing of the same number for it.
 */
async function raiseRevisions({ long, catalog }: Database, before: string): Promise<void> {
  const known = new Set(
    (
      await rowsOf(
        long,
        'select table_name as name from information_schema.tables where table_schema = ?',
        [before],
      )
    ).map(({ name }) => String(name)),
  );
  const counters = [
    ['setting', ['value'], "where name in ('catalog_revision', 'access_revision')"],
    ['form', ['draft_revision', 'published_revision'], ''],
    ['option_list', ['revision'], ''],
  ] as const;
  for (const [table, columns, where] of counters) {
    if (!known.has(table)) continue;
    const greatest = `select coalesce(max(cast(${columns[0]} as unsigned)), 0) as n from ??.?? ${where}`;
    const [row] = await rowsOf(long, greatest, [before, table]);
    const raised = columns.map((column) => `${column} = ${column} + ${Number(row?.n)}`).join(', ');
    await long.raw(`update ??.?? set ${raised} ${where}`, [catalog, table]);
  }
}

type Schemas = Record<'catalog' | 'records', string>;

/** Moves all tables of schemas into others, in one statement that is done whole. */
async function moveTables(db: Database, moves: readonly [Schemas, Schemas][]): Promise<void> {
  const parts: string[] = [];
  for (const [from, to] of moves) {
    for (const kind of ['catalog', 'records'] as const) {
      const rows = await rowsOf(
        db.long,
        'select table_name as name from information_schema.tables where table_schema = ?',
        [from[kind]],
      );
      for (const { name } of rows) {
        parts.push(`\`${from[kind]}\`.\`${String(name)}\` to \`${to[kind]}\`.\`${String(name)}\``);
      }
    }
  }
  if (parts.length > 0) await db.long.raw(`rename table ${parts.join(', ')}`);
}

function refuseUntil({ log, at }: Manifest, until: { at: Date; logs: string }): void {
  if (!log)
    throw new Error('The backup does not say where the binary log stood: --until cannot be used.');
  if (until.at < new Date(at)) {
    throw new Error(
      `The backup is of ${at}: --until must name a later moment. Nothing was changed.`,
    );
  }
  if (!fs.existsSync(path.join(until.logs, log.file))) {
    throw new Error(`The binary log ${log.file} is not there any more: --until cannot be used.`);
  }
}

/** Does once more what was done after the backup, up to a moment. */
async function replay(
  db: Database,
  url: string,
  { log }: Manifest,
  { at, logs }: { at: Date; logs: string },
  tell: (line: string) => void,
): Promise<void> {
  if (!log) return;
  tell(`Doing once more what was done until ${at.toISOString()} …`);
  const names = fs.readdirSync(logs).filter((name) => /\.\d{6}$/.test(name) && name >= log.file);
  const { args, password } = reaching(url);
  const stop = at.toISOString().slice(0, 19).replace('T', ' ');
  const reading = run('mariadb-binlog', [
    ...['--no-defaults', `--start-position=${log.position}`, `--stop-datetime=${stop}`],
    '--disable-log-bin',
    ...names.sort().map((name) => path.join(logs, name)),
  ]);
  const client = run('mariadb', [...args, '--binary-mode'], password);
  client.out.resume();
  await Promise.all([pipeline(reading.out, client.in), reading.ended, client.ended]);
}
