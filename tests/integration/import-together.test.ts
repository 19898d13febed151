import exceljs from 'exceljs';
import { randomBytes } from 'node:crypto';
import { Readable } from 'node:stream';
import { describe, expect, it } from 'vitest';
import type { ProblemError } from '../../src/core/problems';
import type { ImportColumn } from '../../src/core/formats/csv-rows';
import { loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { removeCutOff } from '../../src/server/database/structure';
import { receiveFile } from '../../src/server/files/hand-in';
import {
  examineTogether,
  importTogether,
  RejectedTogetherError,
  togetherInSchema,
  type TogetherIn,
} from '../../src/server/records/import-together';
import { readRecords } from '../../src/server/records/read';
import { column, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_import_together');

const region = 'Name\nNorth\nSouth\n';
const town = 'Name,Region\nVelden,North\nSaltmere,South\nOakhurst,north\n';
const ensemble =
  'Code,Name,Town,Led by\nVTW-217,Velden Brass,Velden,SAL-001\nSAL-001,Saltmere Consort,Saltmere,VTW-217\nQLO-219,Quarry Octet,Veldn,\n';

async function handed(content: string | Buffer, name: string): Promise<string> {
  const file = randomBytes(16).toString('hex');
  await receiveFile(
    held.db,
    { file, name, by: 'ada' },
    Readable.from([Buffer.from(content as string)]),
  );
  return file;
}

/** What would come of files as they are proposed: every best link taken. */
async function proposed(
  texts: readonly [string, string][],
  change: (tables: TogetherIn['tables']) => void = () => {},
): Promise<TogetherIn> {
  const files = await Promise.all(
    texts.map(async ([title, text]) => ({ file: await handed(text, `${title}.csv`), title })),
  );
  const found = await examineTogether(held.db, await loadTables(held.db), { files }, 'ada');
  const tables = found.files.map(({ file, sheet, title, delimiter, columns }) => ({
    ...{ file, sheet, title, delimiter, columns, key: title.toLowerCase(), cells: columns.length },
    ...{ display: [columns[0]?.key ?? ''], corrections: [], extra: [] },
  }));
  for (const { from, to } of found.links) {
    const own = tables[from.file]?.columns[from.column];
    const there = tables[to.file];
    if (!own || !there || own.type.kind === 'reference') continue;
    own.type = { kind: 'reference', table: there.key };
    own.match = there.columns[to.column]?.key ?? null;
  }
  change(tables);
  return togetherInSchema.parse({ tables });
}

const run = async (wish: TogetherIn) => importTogether(held.db, wish, 'ada');
const rowsOf = async (key: string) => {
  const all = await loadTables(held.db);
  return (await readRecords(held.db, all, tableFrom(all, key), { filter: [], sort: [], limit: 50 }))
    .records;
};
const ofKind = ({ columns = [] }: { columns?: readonly ImportColumn[] } = {}) =>
  columns.map(({ type }) => (type.kind === 'reference' ? `to ${type.table}` : type.kind));

describe('several files together', () => {
  it('are matched with one another, with the house, and put in order', async () => {
    await makeTable(held.db, table('leader', [column('name', { unique: true })]), 't');
    const wish = await proposed([
      ['Ensemble', ensemble],
      ['Town', town],
      ['Region', region],
    ]);
    expect(wish.tables.map(ofKind)).toEqual([
      ['text', 'text', 'to town', 'to ensemble'],
      ['text', 'to region'],
      ['text'],
    ]);
  });

  it('are sheets of one file too; those that hold nothing are passed over', async () => {
    const book = new exceljs.Workbook();
    const add = (name: string, rows: string[][]) => book.addWorksheet(name).addRows(rows);
    add('Cases', [
      ['Case', 'Kept in'],
      ['Case 1', 'Shed'],
      ['Case 2', 'Loft'],
    ]);
    add('Notes', []);
    add('Sheds', [['Shed'], ['Shed'], ['Loft']]);
    const file = await handed(Buffer.from(await book.xlsx.writeBuffer()), 'store.xlsx');
    const files = [{ file, title: 'Store' }];
    const found = await examineTogether(held.db, await loadTables(held.db), { files }, 'ada');
    const told = found.files.map(({ title, sheet, name, rows }) => ({ title, sheet, name, rows }));
    expect(told).toEqual([
      { title: 'Cases', sheet: 1, name: 'store.xlsx · Cases', rows: 2 },
      { title: 'Sheds', sheet: 3, name: 'store.xlsx · Sheds', rows: 2 },
    ]);
    expect(found.links[0]).toMatchObject({ from: { file: 0, column: 1 }, to: { file: 1 } });
    expect(found.order).toEqual([1, 0]);
    const tables = found.files.map(({ file, sheet, title, delimiter, columns }) => ({
      ...{ file, sheet, title, delimiter, columns, key: title.toLowerCase() },
      ...{ cells: columns.length, display: [columns[0]?.key ?? ''] },
    }));
    const { tables: results } = await run(togetherInSchema.parse({ tables }));
    expect(results.map(({ written }) => written)).toEqual([2, 2]);
    expect((await rowsOf('sheds')).map(({ values }) => values.shed)).toEqual(['Shed', 'Loft']);
  });

  it('make a table of their own out of a column that says the same again and again', async () => {
    const cases =
      'Asset,Maker\nC-1,Quist\nC-2,quist\nC-3,Velden Cases\nC-4,\nC-5,Quizt\nC-6,Velden Cases\n';
    const wish = await proposed([['Casing', cases]], (tables) => {
      const [own] = tables;
      const maker = own?.columns[1];
      if (!own || !maker) return;
      const name = {
        ...maker,
        key: 'name',
        label: 'Name',
        source: 0,
        required: true,
        unique: true,
      };
      tables.unshift({
        ...{ ...own, key: 'maker', title: 'Maker', cells: 1, display: ['name'], columns: [name] },
        distinctOf: { table: 'casing', source: 1 },
      });
      Object.assign(maker, { type: { kind: 'reference', table: 'maker' }, match: 'name' });
      own.corrections = [{ source: 1, line: 6, instead: 'Quist' }];
    });
    const { tables: results } = await run(wish);
    expect(results.map(({ written }) => written)).toEqual([2, 6]);
    expect((await rowsOf('maker')).map(({ values }) => values.name)).toEqual([
      'Quist',
      'Velden Cases',
    ]);
    expect((await rowsOf('casing')).map(({ shown }) => shown.maker)).toEqual([
      ...['Quist', 'Quist', 'Velden Cases', undefined, 'Quist', 'Velden Cases'],
    ]);
    const [maker, casing] = wish.tables;
    for (const distinctOf of [
      { table: 'none', source: 0 },
      { table: 'casing', source: 2 },
      { table: 'maker', source: 0 },
    ]) {
      const odd = { ...wish, tables: [{ ...maker, key: 'odd', distinctOf }, casing] };
      const refused = await run(togetherInSchema.parse(odd)).catch((e: ProblemError) => e.problems);
      expect(refused).toContainEqual(
        expect.objectContaining({ path: 'tables[0].distinctOf', code: 'unknown_column' }),
      );
    }
  });

  it('are told of where another one cannot be read, which is named', async () => {
    const [good, bad] = [await handed(region, 'good.csv'), await handed('a,A\n1,2\n', 'bad.csv')];
    const files = [good, bad].map((file) => ({ file, title: 'x' }));
    const house = await loadTables(held.db);
    const found = await examineTogether(held.db, house, { files }, 'ada');
    expect(found.files.map(({ name, different }) => ({ name, different }))).toEqual([
      { name: 'good.csv', different: [2] },
    ]);
    expect(found.problems.map(({ message }) => message)).toEqual([
      'bad.csv: Two columns are named “A” (columns 1 and 2).',
    ]);
    const alone = examineTogether(held.db, house, { files: files.slice(1) }, 'ada');
    await expect(alone).rejects.toThrow('bad.csv: Two columns are named “A”');
  });

  it('come in whole, in a circle too, with what was put right, and forms for all of them', async () => {
    const wish = await proposed(
      [
        ['Ensemble', ensemble],
        ['Town', town],
        ['Region', region],
      ],
      ([first, second]) => {
        first?.corrections.push({ source: 2, given: 'Veldn', instead: 'New Town' });
        second?.extra.push(['New Town', 'South']);
      },
    );
    const checked = await run({ ...wish, check: true });
    expect(checked.tables.map(({ rejectedRows }) => rejectedRows)).toEqual([0, 0, 0]);
    expect((await loadTables(held.db)).has('town')).toBe(false);
    const { tables, forms } = await run({ ...wish, forms: true });
    expect(tables.map(({ table: key, written }) => [key, written])).toEqual([
      ['ensemble', 3],
      ['town', 4],
      ['region', 2],
    ]);
    expect(forms.map(({ key }) => key)).toEqual(['ensemble', 'town', 'region']);
    const rows = await rowsOf('ensemble');
    expect(rows.map(({ shown }) => [shown.town, shown.led_by])).toEqual([
      ['Velden', 'SAL-001'],
      ['Saltmere', 'VTW-217'],
      ['New Town', undefined],
    ]);
    // The database holds them to it, and the next record gets a number of its own.
    const broken = held.db.knex.raw('update ??.ensemble set town = 99', [held.db.records]);
    await expect(broken).rejects.toThrow(/foreign key/);
  });

  it('come in not at all where a row cannot be read; it is told with its cell', async () => {
    const wish = await proposed(
      [
        ['Place', 'Name,Seats\nA,10\nB,20\nC,30\n'],
        ['Seat', 'Place,No\nA,1\nD,2\nB,3\n'],
      ],
      ([, second]) => {
        const own = second?.columns[0];
        if (own) Object.assign(own, { type: { kind: 'reference', table: 'place' }, match: 'name' });
      },
    );
    const refused = await run(wish).catch((error: unknown) => error as RejectedTogetherError);
    expect(refused).toBeInstanceOf(RejectedTogetherError);
    expect((refused as RejectedTogetherError).result.tables[1]?.rejections).toMatchObject([
      { line: 3, column: 'Place', source: 0, given: 'D' },
    ]);
    expect([...(await loadTables(held.db)).keys()]).not.toContain('place');
    const { tables } = await run({ ...wish, rejected: 'leave_out' });
    expect(tables.map(({ written }) => written)).toEqual([3, 2]);
    expect((await rowsOf('seat')).map(({ shown }) => shown.place)).toEqual(['A', 'B']);
  });

  it('leave out what names a row that is left out', async () => {
    const wish = await proposed(
      [
        ['Hall', 'Name,Opened\nA,2020-01-01\nB,soon\n'],
        ['Visit', 'Hall,On\nA,2021-01-01\nB,2021-01-02\n'],
      ],
      ([first, second]) => {
        const opened = first?.columns[1];
        if (opened) opened.type = { kind: 'date' };
        const own = second?.columns[0];
        if (own) Object.assign(own, { type: { kind: 'reference', table: 'hall' }, match: 'name' });
      },
    );
    const { tables } = await run({ ...wish, rejected: 'leave_out' });
    expect(tables.map(({ written }) => written)).toEqual([1, 1]);
  });

  it('are put right on one line, or wherever a text stands', async () => {
    const wish = await proposed([['Thing', 'Name,Size\nbell,x\ndrum,x\ngong,7\n']], ([first]) => {
      const size = first?.columns[1];
      if (size) size.type = { kind: 'whole' };
      first?.corrections.push({ source: 1, given: 'x', instead: '5' });
      first?.corrections.push({ source: 1, line: 3, instead: '6' });
    });
    await run(wish);
    expect((await rowsOf('thing')).map(({ values }) => values.size)).toEqual([5, 6, 7]);
  });

  it.each([
    [
      'a key that stands already',
      (t: TogetherIn['tables']) => t[0] && (t[0].key = 'leader'),
      'table_exists',
    ],
    [
      'a column that the other has not',
      (t: TogetherIn['tables']) =>
        t[1]?.columns[0] &&
        Object.assign(t[1].columns[0], { type: { kind: 'reference', table: 'aa' }, match: 'zz' }),
      'unknown_column',
    ],
    [
      'a file of somebody else',
      (t: TogetherIn['tables']) => t[0] && (t[0].file = 'a'.repeat(32)),
      'file_not_here',
    ],
  ])('are refused for %s', async (_, change, code) => {
    const wish = await proposed(
      [
        ['Aa', 'Name\none\n'],
        ['Bb', 'Other\ntwo\n'],
      ],
      change,
    );
    const failed = (await run(wish).catch((error: unknown) => error)) as ProblemError;
    expect(failed.problems[0]?.code).toBe(code);
    expect((await loadTables(held.db)).has('bb')).toBe(false);
  });

  it('leave nothing behind when the server ends on the way, whatever refers to what', async () => {
    const make = (key: string, to: string) =>
      table(key, [column('name'), column('to', { type: { kind: 'reference', table: to } })]);
    const both = [make('left_one', 'left_two'), make('left_two', 'left_one')];
    for (const one of both) await makeTable(held.db, one, 't', 'loading', both);
    await removeCutOff(held.db);
    const [rows] = await held.db.knex.raw('show tables from ?? like ?', [held.db.records, 'left%']);
    expect(rows).toEqual([]);
  });
});
