import { buffer } from 'node:stream/consumers';
import { Readable } from 'node:stream';
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import yazl from 'yazl';
import { listForms } from '../../src/server/catalog/forms';
import { listLists } from '../../src/server/catalog/lists';
import { loadTables } from '../../src/server/catalog/tables';
import { endDatabase, openDatabase, type Database } from '../../src/server/database/connection';
import { rowsOf } from '../../src/server/database/rows';
import { finishStructureChanges, removeCutOff } from '../../src/server/database/structure';
import { log } from '../../src/server/log';
import { removeCutOffPackage } from '../../src/server/out/coming-in';
import { writePackage } from '../../src/server/out/package';
import { takePackageIn } from '../../src/server/out/take-in';
import { listConnections } from '../../src/server/outside/connections';
import { listQueries } from '../../src/server/outside/queries';
import { diesAfter } from '../support/dying';
import { emptyDatabase, useDatabase } from '../support/house';
import { makePackedHouse } from '../support/packed-house';

process.env.UNISOR_SECRET ??= 'a key for nothing but tests';
/** Cut off before so many of its statements, evenly spread from a random one on; before each with `UNISOR_CUTS=1`. */
const cuts = process.env.UNISOR_CUTS ? Infinity : 12;

const schema = 't_package_cut';
const here = useDatabase('t_package_cut_from');
const there = useDatabase(schema);
let ours: Buffer;
const level = log.level;

beforeAll(async () => {
  // That it was cut off, and is taken away, is what is tried here.
  log.level = 'silent';
  await makePackedHouse(here.db);
  ours = await buffer(await writePackage(here.db, await loadTables(here.db), { whole: true }));
});
afterAll(() => {
  log.level = level;
});

async function ofOthers(): Promise<Buffer> {
  const fields = [{ name: 'code', constraints: { maxLength: 8 } }, { name: 'next' }];
  const foreignKeys = [{ fields: 'next', reference: { resource: 'b', fields: 'code' } }];
  const back = [{ fields: 'next', reference: { resource: 'a', fields: 'code' } }];
  const schemaOf = (keys: object[]) => ({ fields, primaryKey: 'code', foreignKeys: keys });
  const zip = new yazl.ZipFile();
  const files = {
    'datapackage.json': JSON.stringify({
      resources: [
        { name: 'a', path: 'a.csv', schema: schemaOf(foreignKeys) },
        { name: 'b', path: 'b.csv', schema: schemaOf(back) },
      ],
    }),
    'a.csv': 'code,next\nA1,B1\n',
    'b.csv': 'code,next\nB1,A1\n',
  };
  for (const [name, text] of Object.entries(files)) zip.addBuffer(Buffer.from(text), name);
  zip.end();
  return buffer(zip.outputStream as Readable);
}

/** All that a package brings, by name, with the tables that stand in the database. */
async function everything(db: Database): Promise<Record<string, unknown>> {
  const names = (found: readonly { key: string }[]) => found.map(({ key }) => key).sort();
  const tables = await rowsOf(
    db.knex,
    'select table_name as t from information_schema.tables where table_schema = ? order by 1',
    [db.records],
  );
  return {
    tables: names([...(await loadTables(db)).values()]),
    stored: tables.map(({ t }) => t),
    forms: names(await listForms(db)),
    lists: names(await listLists(db)),
    connections: names(await listConnections(db)),
    queries: names(await listQueries(db)),
    noted: (await db.knex('coming_in').withSchema(db.catalog)).length,
  };
}

const bring = (db: Database, bytes: Uint8Array) =>
  takePackageIn(db, Readable.toWeb(Readable.from([bytes])) as ReadableStream, {
    ...{ drafts: true, by: 't' },
  });

/** Brings a package in with a process that dies before so many statements; gives whether it died. */
async function cutOff(bytes: Uint8Array, statements: number): Promise<boolean> {
  const db = openDatabase(inject('databaseUrl'), schema);
  const process = diesAfter(db, statements);
  const done: unknown = await bring(db, bytes).then(
    () => 'done',
    (error: unknown) => error,
  );
  await endDatabase(db).catch(() => undefined);
  if (!process.dead()) expect(done).toBe('done');
  return process.dead();
}

/** What the next start does, once the leases of the process that is gone have run out. */
async function start(): Promise<void> {
  await there.db.knex('lease').withSchema(schema).update({ held_until: '2026-01-01' });
  await finishStructureChanges(there.db);
  await removeCutOff(there.db);
  await removeCutOffPackage(there.db);
}

describe('K3 a package that is cut off before any of its statements', () => {
  it.each([
    ['one of ours', () => Promise.resolve(ours)],
    ['one of others', ofOthers],
  ])('is gone at the next start: %s', async (_, pack) => {
    const bytes = await pack();
    await emptyDatabase(there);
    const before = await everything(there.db);
    let long = 1;
    while (await cutOff(bytes, long)) {
      await start();
      long *= 2;
    }
    const after = await everything(there.db);
    expect(after).not.toEqual(before);
    expect(after.noted).toBe(0);
    // It is in by now; what is cut off from here on is another one of the same, into an empty house.
    await emptyDatabase(there);
    const step = Math.max(1, Math.floor(long / cuts));
    let tried = 0;
    for (let n = Math.floor(Math.random() * step); ; n += step) {
      if (!(await cutOff(bytes, n))) break;
      tried++;
      await start();
      const left = await everything(there.db);
      if (JSON.stringify(left) === JSON.stringify(before)) continue;
      // The last statements of all come when it is in.
      expect(left).toEqual(after);
      await emptyDatabase(there);
    }
    expect(tried).toBeGreaterThan(cuts === Infinity ? 20 : cuts / 3);
    expect(await everything(there.db)).toEqual(after);
  });
});
