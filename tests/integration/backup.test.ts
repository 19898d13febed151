import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { Readable } from 'node:stream';
import { setTimeout as sleep } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest';
import { logsOf, startMariadb, type OwnMariadb } from '../../scripts/mariadb.mjs';
import {
  formHead,
  keepDraft,
  loadDraft,
  loadEdition,
  makeForm,
  publishForm,
} from '../../src/server/catalog/forms';
import { loadTables, tableFrom } from '../../src/server/catalog/tables';
import { endDatabase, openDatabase, type Database } from '../../src/server/database/connection';
import { rowsOf } from '../../src/server/database/rows';
import { migrate } from '../../src/server/database/migrate';
import { makeBackup } from '../../src/server/keeping/backup';
import { backupState } from '../../src/server/keeping/backups';
import { renaming } from '../../src/server/keeping/beside';
import { seal, unseal } from '../../src/server/keeping/manifest';
import { restoreBackup } from '../../src/server/keeping/restore';
import { backUpIfDue } from '../../src/server/keeping/schedule';
import { readRecords } from '../../src/server/records/read';
import { addRecord, changeRecord } from '../../src/server/records/write';
import { makeLending } from '../support/house';
import { writtenIn } from '../support/written';

let folder: string;
let database: OwnMariadb;
let db: Database;
const at = (name: string) => path.join(folder, name);

beforeAll(async () => {
  folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-backup-'));
  database = await startMariadb(folder, { logs: true });
  db = openDatabase(database.url);
  await migrate(db, database.url);
  await makeLending(db);
}, 90_000);

afterAll(async () => {
  await endDatabase(db);
  await database.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

const written = () => writtenIn(db);
const towns = async () => {
  const all = await loadTables(db);
  const wish = { filter: [], sort: [], limit: 100 };
  return (await readRecords(db, all, tableFrom(all, 'town'), wish)).records;
};
const rename = async (name: string) => {
  const all = await loadTables(db);
  const [town] = await towns();
  if (!town) throw new Error('no town');
  await changeRecord(db, all, tableFrom(all, 'town'), town.id, town.version, { name }, 'test');
};
const backup = (name: string, more: object = {}) =>
  makeBackup(db, database.url, { file: at(name), check: true, ...more });
const restore = (name: string, more: object = {}) =>
  restoreBackup(db, database.url, { file: at(name), replace: true, ...more });
const schemas = async () => {
  const [rows] = await db.knex.raw("show databases like 'unisor%'");
  return (rows as Record<string, string>[]).flatMap((row) => Object.values(row)).sort();
};

describe('K5 a backup', () => {
  it('holds the house as it was, and brings it back', async () => {
    const before = await written();
    const { tables, at: moment } = await backup('a.zip');
    expect(tables?.length).toBeGreaterThan(20);
    expect(Date.now() - new Date(moment).getTime()).toBeLessThan(60_000);
    await rename('Elsewhere');
    expect(await written()).not.toEqual(before);
    await restore('a.zip');
    expect(await written()).toEqual(before);
    expect(await schemas()).toEqual(['unisor', 'unisor_records']);
    // What was restored can be worked with.
    await rename('Morby');
  });

  it('is told apart from the house that it replaces by servers that go on', async () => {
    await makeForm(db, { table: 'town', key: 'towns' }, 'test');
    const plans = async () => {
      const { plan } = await loadDraft(db, 'towns');
      const { plan: edition } = await loadEdition(db, 'towns');
      return [plan.title, edition.title];
    };
    const retitle = async (title: string) => {
      const { form, plan } = await loadDraft(db, 'towns');
      await keepDraft(db, 'towns', form.revision, { ...plan, title }, 'test');
      await publishForm(db, 'towns', (await formHead(db, 'towns')).revision, 'test');
    };
    const settings = async () => {
      const rows = await rowsOf(
        db.knex,
        `select value from \`${db.catalog}\`.setting where name like '%revision'`,
      );
      return rows.map(({ value }) => Number(value));
    };
    await retitle('As it was');
    const before = await plans();
    await backup('told.zip', { check: false });
    await retitle('Abandoned');
    await retitle('Abandoned again');
    expect(await plans()).not.toEqual(before);
    const counted = await settings();
    await restore('told.zip');
    expect(await plans()).toEqual(before);
    (await settings()).forEach((value, i) => expect(value).toBeGreaterThan(counted[i] ?? 0));
    // The next changes have the numbers of none that was abandoned.
    await retitle('Another way');
    expect(await plans()).toEqual(['Another way', 'Another way']);
    await retitle('And on');
    expect(await plans()).toEqual(['And on', 'And on']);
  });

  it('is of one moment, also while people save', async () => {
    const all = await loadTables(db);
    const region = tableFrom(all, 'region');
    const town = tableFrom(all, 'town');
    let saving = true;
    let saved = 0;
    const clerk = async () => {
      while (saving) {
        // A town is never there without its region.
        const name = `Written meanwhile ${saved++}`;
        const { id } = await addRecord(db, all, region, { name }, 'test');
        await addRecord(db, all, town, { name, region: id }, 'test');
      }
    };
    const clerks = [clerk(), clerk()];
    await sleep(100);
    await backup('busy.zip', { check: false });
    saving = false;
    await Promise.all(clerks);
    await restore('busy.zip');
    const [[lost]] = await db.knex.raw(
      'select count(*) as n from ??.town t left join ??.region r on r.id = t.region where r.id is null',
      [db.records, db.records],
    );
    const [[kept]] = await db.knex.raw(
      "select count(*) as n from ??.town where name like 'Written meanwhile%'",
      [db.records],
    );
    expect(Number(lost.n)).toBe(0);
    expect(Number(kept.n)).toBeGreaterThan(0);
    expect(Number(kept.n)).toBeLessThanOrEqual(saved);
  });

  it('is replayed up to a moment', async () => {
    await rename('Before');
    await backup('until.zip', { check: false });
    await rename('Wanted');
    await sleep(1500);
    const moment = new Date();
    await sleep(1500);
    await rename('A mistake');
    await restore('until.zip', { until: { at: moment, logs: logsOf(folder) } });
    expect((await towns())[0]?.values.name).toBe('Wanted');
    const early = { at: new Date('2020-01-01'), logs: logsOf(folder) };
    await expect(restore('until.zip', { until: early })).rejects.toThrow(/a later moment/);
    expect((await towns())[0]?.values.name).toBe('Wanted');
  });

  it('keeps the key under a passphrase', async () => {
    await backup('key.zip', { check: false, secret: 'the key', passphrase: 'three long words' });
    expect(fs.readFileSync(at('key.zip')).includes('the key')).toBe(false);
    await expect(restore('key.zip')).rejects.toThrow(/sealed/);
    await expect(restore('key.zip', { passphrase: 'other words' })).rejects.toThrow(/is wrong/);
    const { secret } = await restore('key.zip', { passphrase: 'three long words' });
    expect(secret).toBe('the key');
    expect(unseal(seal('x', 'y'), 'y')).toBe('x');
  });
});

const releases = path.join(import.meta.dirname, '..', 'fixtures');

describe('K5 a backup of an earlier release', () => {
  it.each(fs.readdirSync(releases))('%s is restored, migrated, and worked with', async (name) => {
    await backup('now.zip', { check: false });
    await restoreBackup(db, database.url, { file: path.join(releases, name), replace: true });
    await migrate(db, database.url);
    const all = await loadTables(db);
    expect((await towns()).map(({ values }) => values.name)).toEqual(['Velden', 'Oakhurst']);
    await addRecord(db, all, tableFrom(all, 'town'), { name: 'Morby' }, 'test');
    const { plan, edition } = await loadEdition(db, 'towns');
    expect([plan.table, edition]).toEqual(['town', 1]);
    await restore('now.zip');
  });
});

describe('K5 backups are made by themselves', () => {
  it('as often as is said, so many are kept, and a failed one is told', async () => {
    const own = at('by themselves');
    vi.stubEnv('UNISOR_BACKUP_FOLDER', own);
    vi.stubEnv('UNISOR_BACKUP_EVERY', '24');
    vi.stubEnv('UNISOR_BACKUP_KEEP', '1');
    vi.stubEnv('UNISOR_DATABASE_URL', database.url);
    const day = (n: number) => new Date(Date.now() + n * 24 * 3_600_000);
    try {
      expect(await backUpIfDue(db)).toBe(true);
      const [first] = fs.readdirSync(own);
      expect(await backUpIfDue(db)).toBe(false);
      expect(await backUpIfDue(db, day(1.1))).toBe(true);
      expect(fs.readdirSync(own)).toHaveLength(1);
      expect(fs.readdirSync(own)).not.toEqual([first]);
      expect(await backupState(db)).toMatchObject({
        every: 24,
        worry: null,
        last: { state: 'good' },
      });
      expect(await backupState(db, day(3))).toMatchObject({ worry: 'old' });
      vi.stubEnv('UNISOR_DATABASE_URL', database.url.replace(/:(\d+)$/, ':1'));
      await expect(backUpIfDue(db, day(5))).rejects.toThrow(/mariadb-dump/);
      expect(await backupState(db)).toMatchObject({ worry: 'failed', last: { state: 'failed' } });
      expect(fs.readdirSync(own)).toHaveLength(1);
      // So is one whose folder cannot be made.
      fs.writeFileSync(at('a file'), '');
      vi.stubEnv('UNISOR_DATABASE_URL', database.url);
      vi.stubEnv('UNISOR_BACKUP_FOLDER', path.join(at('a file'), 'below'));
      await expect(backUpIfDue(db, day(9))).rejects.toThrow(/Backups cannot be kept in/);
      const { last } = await backupState(db);
      expect(last).toMatchObject({
        state: 'failed',
        reason: expect.stringMatching(/cannot be kept in .*a file/) as string,
      });
    } finally {
      vi.unstubAllEnvs();
    }
  });
});

describe('K5 a backup is refused, and nothing is changed', () => {
  it.each([
    ['that is not there', () => null, /no file/],
    ['that is foreign', () => Buffer.from('town,region\n'), /no backup of Unisor/],
    ['that was cut', (whole: Buffer) => whole.subarray(0, whole.length / 2), /damaged|no backup/],
    [
      'that was damaged',
      (whole: Buffer) => {
        const other = Buffer.from(whole);
        const middle = Math.floor(other.length * 0.6);
        other[middle] = (other[middle] ?? 0) ^ 255;
        return other;
      },
      /damaged/,
    ],
  ])('%s', async (_, change, sentence) => {
    await backup('whole.zip');
    const before = await written();
    const given = change(fs.readFileSync(at('whole.zip')));
    if (given) fs.writeFileSync(at('given.zip'), given);
    await expect(restore(given ? 'given.zip' : 'missing.zip')).rejects.toThrow(sentence);
    expect(await written()).toEqual(before);
    expect(await schemas()).toEqual(['unisor', 'unisor_records']);
  });

  it('where a house is there and nobody said that it may go', async () => {
    await expect(restore('whole.zip', { replace: false })).rejects.toThrow(
      /There is a house with \d+ tables and about \d+ records/,
    );
  });

  it('where it cannot be written; what stood there stays', async () => {
    const before = fs.readFileSync(at('whole.zip'));
    const away = database.url.replace(/:(\d+)$/, ':1');
    const failed = makeBackup(db, away, { file: at('whole.zip'), check: false });
    await expect(failed).rejects.toThrow(/mariadb-dump ended/);
    expect(fs.readFileSync(at('whole.zip')).equals(before)).toBe(true);
    expect(fs.readdirSync(folder).filter((name) => name.includes('.part'))).toEqual([]);
  });

  it('of a newer program, as a newer house is', async () => {
    const newer = { name: '999_later', batch: 9, migration_time: new Date() };
    const done = () => db.knex('knex_migrations').withSchema(db.catalog);
    await done().insert(newer);
    await backup('newer.zip', { check: false });
    await expect(restore('newer.zip')).rejects.toThrow(/newer Unisor/);
    await expect(migrate(db, database.url)).rejects.toThrow(/newer Unisor \(999_later\)/);
    await done().where({ name: newer.name }).delete();
  });
});

it('lines that name schemas are renamed wherever chunks end, and nothing else', async () => {
  const dump = Buffer.from(
    "CREATE DATABASE /*!32312 IF NOT EXISTS*/ `a` /*!40100 */;\nUSE `a`;\nINSERT INTO `a` VALUES ('USE `a`');\n" +
      `INSERT INTO \`t\` VALUES ('${'x'.repeat(500)}');\nUSE \`a_records\`;\n-- end`,
  );
  for (let size = 1; size < 60; size++) {
    const chunks = Array.from({ length: Math.ceil(dump.length / size) }, (_, i) =>
      dump.subarray(i * size, (i + 1) * size),
    );
    const out = Readable.from(chunks).pipe(renaming({ a: 'b', a_records: 'b_records' }));
    const text = (await out.toArray()).map(String).join('');
    expect(text).toBe(
      dump
        .toString()
        .replace('EXISTS*/ `a`', 'EXISTS*/ `b`')
        .replace('USE `a`;', 'USE `b`;')
        .replace('USE `a_records`', 'USE `b_records`'),
    );
  }
});
