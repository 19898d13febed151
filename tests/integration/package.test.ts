import { buffer } from 'node:stream/consumers';
import { Readable } from 'node:stream';
import exceljs from 'exceljs';
import yazl from 'yazl';
import { beforeAll, describe, expect, it } from 'vitest';
import { describePackage, housePath, packageSchema } from '../../src/core/formats/data-package';
import type { ProblemError } from '../../src/core/problems';
import { formHead, listForms, loadEdition } from '../../src/server/catalog/forms';
import { loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { listRehearsals } from '../../src/server/catalog/rehearsals';
import { tryQuery } from '../../src/server/outside/ask';
import { listConnections } from '../../src/server/outside/connections';
import { listQueries } from '../../src/server/outside/queries';
import { writePackage } from '../../src/server/out/package';
import { takeOut, type OutFormat } from '../../src/server/out/records';
import { takePackageIn } from '../../src/server/out/take-in';
import { openCsv } from '../../src/server/records/csv-file';
import { readRecords } from '../../src/server/records/read';
import { addRecord } from '../../src/server/records/write';
import { column } from '../support/definitions';
import { useDatabase } from '../support/house';
import { boats, makePackedHouse } from '../support/packed-house';

process.env.UNISOR_SECRET ??= 'a key for nothing but tests';
const here = useDatabase('t_package');
const there = useDatabase('t_package_in');

beforeAll(() => makePackedHouse(here.db));

const taken = async (db: typeof here.db, tables?: string[]) =>
  buffer(await writePackage(db, await loadTables(db), { tables, whole: true }));
const stream = (bytes: Uint8Array) => Readable.toWeb(Readable.from([bytes])) as ReadableStream;
const bring = (bytes: Uint8Array, drafts = false) =>
  takePackageIn(there.db, stream(bytes), { drafts, by: 't' });
const refused = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('nothing was refused'),
    (error: unknown) => (error as ProblemError).problems,
  );
const zipped = (files: Record<string, string>) => {
  const zip = new yazl.ZipFile();
  for (const [name, text] of Object.entries(files)) zip.addBuffer(Buffer.from(text), name);
  zip.end();
  return buffer(zip.outputStream as Readable);
};
const outOf = async (key: string, format: OutFormat, references: 'names' | 'numbers' = 'names') => {
  const all = await loadTables(here.db);
  const wish = { format, references, filter: [], sort: [] };
  const stream = takeOut(here.db, all, tableFrom(all, key), wish);
  // What an answer sends is bytes.
  return Buffer.from(await new Response(Readable.toWeb(stream) as ReadableStream).arrayBuffer());
};

describe('K3 a house as a Data Package', () => {
  it('describes its tables as Table Schemas do', async () => {
    const all = await loadTables(here.db);
    const described = packageSchema.parse(describePackage([...all.values()], 'House'));
    const thing = described.resources.find(({ name }) => name === 'thing');
    expect(thing).toMatchObject({ path: 'data/thing.csv', format: 'csv' });
    expect(thing?.schema).toMatchObject({
      primaryKey: ['id'],
      fields: expect.arrayContaining([
        expect.objectContaining({ name: 'cost', type: 'number' }),
        expect.objectContaining({ name: 'parts', type: 'list' }),
      ]),
    });
    const maker = described.resources.find(({ name }) => name === 'maker');
    expect(maker?.schema).toMatchObject({
      foreignKeys: [{ fields: ['best'], reference: { resource: 'thing', fields: ['id'] } }],
    });
  });

  it('comes back into an empty house as it was, and goes out again with the same bytes', async () => {
    const out = await taken(here.db);
    const done = await bring(out);
    expect(done.tables.find(({ key }) => key === 'thing')?.rows).toBe(2);
    expect((await taken(there.db)).equals(out)).toBe(true);
    expect((await loadEdition(there.db, 'thing')).plan).toEqual(
      (await loadEdition(here.db, 'thing')).plan,
    );
    const named = async (db: typeof here.db) =>
      (await listRehearsals(db, (await formHead(db, 'thing')).id)).map(({ name, rehearsal }) => ({
        ...{ name, rehearsal },
      }));
    expect(await named(there.db)).toEqual(await named(here.db));
    expect(await named(there.db)).toHaveLength(1);
    // What comes next has a number of its own.
    const all = await loadTables(there.db);
    const next = await addRecord(there.db, all, tableFrom(all, 'thing'), { name: 'next' }, 't');
    expect(next.id).toBeGreaterThan(2);
  });

  it('brings connections without their secrets, and queries; hosts are allowed by whoever keeps the house', async () => {
    const out = await taken(here.db);
    expect(out.includes('hush-hush')).toBe(false);
    const [register, ...others] = await listConnections(there.db);
    expect([register?.key, register?.hasSecret, others]).toEqual(['register', false, []]);
    expect(await listQueries(there.db)).toEqual([boats]);
    const house = await loadTables(there.db);
    const asked = tryQuery(there.db, house, boats, { n: '1' });
    expect((await refused(asked))[0]?.code).toBe('outside_host_refused');
    // Who may not make connections brings none in.
    const sneaked = takePackageIn(there.db, stream(out), {
      drafts: false,
      by: 't',
      outside: false,
    });
    expect((await refused(sneaked))[0]?.code).toBe('not_allowed');
    // Another system under the same key stands in the way, and is told.
    const part = JSON.stringify({
      ...{ format: 1, tables: [], lists: [], forms: [], queries: [] },
      connections: [
        { ...register, title: 'Another register', hasSecret: undefined, by: undefined },
      ],
    });
    const described = { resources: [{ name: 'x', path: 'x.json' }] };
    const files = { 'datapackage.json': JSON.stringify(described), [housePath]: part };
    const [clash] = await refused(bring(await zipped(files)));
    expect([clash?.code, clash?.message]).toEqual([
      'package_clashes',
      expect.stringContaining('Another register'),
    ]);
  });

  it('does not come in over what is there, and says what', async () => {
    const before = (await loadTables(there.db)).size;
    const [found] = await refused(bring(await taken(here.db)));
    expect(found?.code).toBe('package_clashes');
    expect(found?.message).toContain('thing');
    expect((await loadTables(there.db)).size).toBe(before);
  });

  it('takes along what the tables that are meant refer to, and nothing else', async () => {
    const all = await loadTables(here.db);
    const bytes = await taken(here.db, ['maker']);
    expect(all.size).toBeGreaterThan(2);
    const names = [...bytes.toString('latin1').matchAll(/data\/(\w+)\.csv/g)].map(
      ([, name]) => name,
    );
    expect(new Set(names)).toEqual(new Set(['maker', 'thing']));
  });
});

describe('M14 a package made by others', () => {
  const descriptor = (more: object = {}) =>
    JSON.stringify({
      name: 'music',
      resources: [
        {
          ...{ name: 'places', path: 'places.csv' },
          schema: {
            fields: [
              { name: 'Code', type: 'string', constraints: { maxLength: 8 } },
              { name: 'Name', type: 'string' },
              { name: 'Coast', type: 'boolean', trueValues: ['yes'], falseValues: ['no'] },
              { name: 'Next', type: 'string', constraints: { maxLength: 8 } },
            ],
            primaryKey: 'Code',
            foreignKeys: [{ fields: 'Next', reference: { resource: '', fields: 'Code' } }],
            missingValues: ['', 'n/a'],
          },
        },
        {
          ...{ name: 'bands', path: 'bands.csv', dialect: { delimiter: ';' } },
          schema: {
            fields: [
              { name: 'Title', type: 'string', constraints: { required: true } },
              { name: 'Place', type: 'string', constraints: { maxLength: 8 } },
              { name: 'Fee', type: 'number' },
              { name: 'Kind', type: 'string', categories: ['brass', 'wind'] },
            ],
            foreignKeys: [
              { fields: ['Place'], reference: { resource: 'places', fields: ['Code'] } },
            ],
          },
        },
      ],
      ...more,
    });
  const places = 'Code,Name,Coast,Next\nV1,Velden,yes,O2\nO2,Oakhurst,no,n/a\n';
  const bands = 'Title;Place;Fee;Kind\nVelden Winds;V1;12.5;wind\nLost;;;brass\n';
  const files = { 'datapackage.json': descriptor(), 'places.csv': places, 'bands.csv': bands };

  it('comes in with its keys and references, and with forms for all of it', async () => {
    const done = await bring(await zipped(files), true);
    expect(done.tables.map(({ key, rows }) => [key, rows])).toEqual([
      ['places', 2],
      ['bands', 2],
    ]);
    expect(done.forms).toHaveLength(2);
    const all = await loadTables(there.db);
    const [code, , coast, next] = tableFrom(all, 'places').columns;
    expect([code?.unique, coast?.type.kind, next?.type]).toEqual([
      ...[true, 'yes_no', { kind: 'reference', table: 'places' }],
    ]);
    const wish = { filter: [], sort: [], limit: 10 };
    const { records } = await readRecords(there.db, all, tableFrom(all, 'bands'), wish);
    expect(records[0]?.shown.place).toBe('Velden');
    expect((await listForms(there.db)).map(({ title }) => title)).toContain('Bands');
  });

  it.each<[string, Record<string, string>, string]>([
    [
      'a key that points to nobody',
      { 'bands.csv': 'Title;Place;Fee;Kind\nX;ZZ;;\n' },
      'retype_misfits',
    ],
    ['types that lie', { 'bands.csv': 'Title;Place;Fee;Kind\nX;V1;much;wind\n' }, 'package_row'],
    [
      'what must be there and is not',
      { 'bands.csv': 'Title;Place;Fee;Kind\n;V1;1;wind\n' },
      'package_row',
    ],
    ['other heads', { 'bands.csv': 'Title;Place\nX;V1\n' }, 'package_heads'],
    [
      'no file',
      { 'datapackage.json': descriptor().replace('bands.csv', 'none.csv') },
      'package_file_missing',
    ],
    ['a description that is none', { 'datapackage.json': '{"resources": 5}' }, 'package_wrong'],
    ['no JSON', { 'datapackage.json': '{' }, 'package_not_json'],
    [
      'no table',
      { 'datapackage.json': '{"resources":[{"name":"x","path":"places.csv"}]}' },
      'package_no_tables',
    ],
  ])('is refused whole for %s', async (_, wrong, code) => {
    const renamed = Object.fromEntries(
      Object.entries({ ...files, ...wrong }).map(([name, text]) => [
        name,
        name === 'datapackage.json'
          ? text.replaceAll('"places"', '"spots"').replace('"bands"', '"groups"')
          : text,
      ]),
    );
    const before = [...(await loadTables(there.db)).keys()];
    expect((await refused(bring(await zipped(renamed))))[0]?.code).toBe(code);
    expect([...(await loadTables(there.db)).keys()]).toEqual(before);
  });

  it('is refused where it is no zip, or leads out of itself', async () => {
    expect((await refused(bring(Buffer.from('no zip'))))[0]?.code).toBe('package_unreadable');
    const bytes = await zipped({ ...files, 'xx/evil.csv': 'a' });
    const text = Buffer.from(
      bytes.toString('latin1').replaceAll('xx/evil.csv', '../evil.csv'),
      'latin1',
    );
    expect((await refused(bring(text)))[0]?.code).toBe('package_unreadable');
    expect((await refused(bring(await zipped({ 'a.csv': 'a' }))))[0]?.code).toBe(
      'package_file_missing',
    );
  });
});

describe('A10 a table as a file', () => {
  it('is CSV with names as people read them, or with numbers', async () => {
    const names = (await outOf('maker', 'csv')).toString('utf8');
    expect(names).toBe('\uFEFFname,best,things\r\nAda,00017,\r\n');
    expect((await outOf('maker', 'csv', 'numbers')).toString('utf8')).toContain('Ada,2');
    expect((await outOf('thing', 'csv')).toString('utf8')).toContain(
      '"a ""quoted"",\r\nline; 音楽 🎻"',
    );
  });

  it('is a line of JSON for each record', async () => {
    const [line = ''] = (await outOf('thing', 'jsonl')).toString('utf8').split('\n');
    expect(JSON.parse(line)).toMatchObject({
      ...{ id: 1, name: '=1+1', cost: '12345678901234567890.0123456789', yes: false },
    });
  });

  it('is a spreadsheet in which numbers are numbers, and what looks like a formula is text', async () => {
    const book = new exceljs.Workbook();
    await book.xlsx.load((await outOf('thing', 'xlsx')) as never);
    const row = book.worksheets[0]?.getRow(2);
    const heads = book.worksheets[0]?.getRow(1).values as string[];
    const at = (key: string) => row?.getCell(heads.indexOf(key)).value;
    expect(at('name')).toBe('=1+1');
    expect(at('state')).toBe('Worn, but "fine"');
    expect(at('yes')).toBe(false);
    expect(at('cost')).toBe('12345678901234567890.0123456789');
    expect(at('at')).toEqual(new Date('2026-03-01T12:30:00Z'));
  });

  it('comes back out of a spreadsheet with the days that it had, of any year', async () => {
    const days = [
      '0001-01-01',
      '1850-06-30',
      '1900-01-01',
      '1900-02-28',
      '1900-03-01',
      '9999-12-31',
    ];
    await makeTable(
      here.db,
      {
        ...{ key: 'early', title: 'Early', display: ['on'], indexes: [] },
        columns: [
          column('on', { type: { kind: 'date' } }),
          column('at', { type: { kind: 'date_time' } }),
        ],
      },
      't',
    );
    const all = await loadTables(here.db);
    for (const on of days) {
      await addRecord(here.db, all, tableFrom(all, 'early'), { on, at: `${on}T10:30:00Z` }, 't');
    }
    const { rows } = await openCsv(Readable.from([await outOf('early', 'xlsx')]));
    const back: string[][] = [];
    for await (const batch of rows) back.push(...batch.map(({ cells }) => cells));
    expect(back).toEqual(days.map((on) => [on, `${on}T10:30:00Z`]));
  });
});
