import { randomBytes } from 'node:crypto';
import { Readable } from 'node:stream';
import { beforeAll, describe, expect, it } from 'vitest';
import type { ProblemError } from '../../src/core/problems';
import { proposeColumns } from '../../src/core/formats/csv-rows';
import { ColumnProfiler } from '../../src/core/formats/csv-profile';
import { loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { receiveFile } from '../../src/server/files/hand-in';
import { undoSave } from '../../src/server/records/history';
import { byKeySchema, importByKey } from '../../src/server/records/import-by-key';
import { readRecords } from '../../src/server/records/read';
import { addRecord } from '../../src/server/records/write';
import { column, reference, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_import_by_key');

beforeAll(async () => {
  await makeTable(held.db, table('town', [column('name', { unique: true })]), 't');
  const columns = [
    column('code', { unique: true }),
    column('name', { required: true }),
    reference('town', 'town'),
    column('fee', { type: { kind: 'decimal', precision: 8, scale: 2 } }),
    column('kept'),
  ];
  await makeTable(held.db, table('member', columns), 't');
  const all = await loadTables(held.db);
  const town = tableFrom(all, 'town');
  for (const name of ['Velden', 'Tarnby']) await addRecord(held.db, all, town, { name }, 't');
  const member = tableFrom(all, 'member');
  for (const [i, name] of ['Brass', 'Octet', 'Winds'].entries()) {
    const values = { code: `M-${i}`, name, town: 1, fee: '1.00', kept: 'as it is' };
    await addRecord(held.db, all, member, values, 't');
  }
});

async function run(text: string, more: Record<string, unknown> = {}) {
  const file = randomBytes(16).toString('hex');
  await receiveFile(
    held.db,
    { file, name: 'x.csv', by: 'ada' },
    Readable.from([Buffer.from(text)]),
  );
  const heads = (text.split('\n')[0] ?? '').split(',');
  const columns = proposeColumns(heads.map((name) => new ColumnProfiler(name).profile()));
  for (const one of columns) if (one.key === 'town') one.match = 'name';
  const wish = { file, table: 'member', by: 'code', columns, delimiter: ',', cells: heads.length };
  const parsed = byKeySchema.parse({ ...wish, ...more });
  return importByKey(held.db, await loadTables(held.db), parsed, 'ada');
}

const members = async () => {
  const all = await loadTables(held.db);
  const wish = { filter: [], sort: [], limit: 50 };
  const { records } = await readRecords(held.db, all, tableFrom(all, 'member'), wish);
  return records.map(({ values, shown }) => [values.code, values.name, shown.town, values.fee]);
};
const codes = (error: unknown) => (error as ProblemError).problems.map(({ code }) => code);

const text =
  'Code,Name,Town,Fee\nm-1,Octet,Tarnby,1\nM-2,Winds,Velden,1.00\nM-9,Choir,Tarnby,2.5\n';

describe('rows matched by a key', () => {
  it('are told beforehand, row by row, and nothing is written', async () => {
    const before = await members();
    const told = await run(text, { check: true });
    expect(told).toMatchObject({ rows: 3, added: 1, changed: 1, same: 1, rejectedRows: 0 });
    // A key that differs in case names the record, and is written as the file has it.
    expect(told.steps).toMatchObject([
      {
        ...{ line: 2, name: 'M-1' },
        changes: [
          { label: 'code', before: 'M-1', after: 'm-1' },
          { label: 'town', before: 'Velden', after: 'Tarnby' },
        ],
      },
    ]);
    expect(await members()).toEqual(before);
  });

  it('are added and changed in one save, which can be undone', async () => {
    const before = await members();
    const told = await run(text);
    expect(told).toMatchObject({ added: 1, changed: 1, written: 2 });
    expect(await members()).toEqual([
      ['M-0', 'Brass', 'Velden', '1.00'],
      ['m-1', 'Octet', 'Tarnby', '1.00'],
      ['M-2', 'Winds', 'Velden', '1.00'],
      ['M-9', 'Choir', 'Tarnby', '2.50'],
    ]);
    const all = await loadTables(held.db);
    await undoSave(held.db, all, told.submission ?? '', 'bea');
    expect(await members()).toEqual(before);
    // Again: what says the same already is not written.
    expect(await run('Code,Name\nM-0,Brass\n')).toMatchObject({ same: 1, submission: null });
  });

  it('are only added, or only changed, where that is meant', async () => {
    expect(await run(text, { check: true, change: false })).toMatchObject({ added: 1, left: 2 });
    expect(await run(text, { check: true, add: false })).toMatchObject({ added: 0, left: 1 });
  });

  it.each([
    ['a name that is not there', 'Code,Name,Town\nM-1,Octet,Atlantis\n', 'unknown_match'],
    ['no key', 'Code,Name\n,Octet\n', 'key_missing'],
    ['a key that stands twice in the file', 'Code,Name\nM-1,A\nm-1,B\n', 'twice_in_file'],
    ['what a new record must have', 'Code,Fee\nM-7,1\n', 'required'],
  ])('are refused whole for %s', async (_, given, code) => {
    const before = await members();
    expect(await run(given).catch(codes)).toEqual(['rows_rejected']);
    const told = await run(given, { check: true });
    expect(told.rejections.map(({ problem }) => problem.code)).toEqual([code]);
    expect(await members()).toEqual(before);
  });

  it('are refused where a key names several records, or cannot be one', async () => {
    const given = 'Name,Fee,Kept\nBrass,2,as it is\n';
    const told = await run(given, { by: 'kept', check: true });
    expect(told.rejections[0]?.problem.code).toBe('key_ambiguous');
    expect(await run(given, { by: 'town' }).catch(codes)).toEqual(['by_key_odd']);
  });
});
