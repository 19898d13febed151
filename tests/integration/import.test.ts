import { describe, expect, it } from 'vitest';
import type { ImportColumn } from '../../src/core/formats/csv-rows';
import type { ProblemError } from '../../src/core/problems';
import { loadTables } from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import {
  checkImport,
  openImport,
  runImport,
  type ImportDefinition,
} from '../../src/server/records/import';
import { examineFile } from '../../src/server/records/examine';
import { upload, useDatabase } from '../support/house';

const held = useDatabase('t_import');

const code = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('was not refused'),
    (error: ProblemError) => error.problems[0]?.code,
  );

async function definitionOf(
  text: string,
  key: string,
  change: (columns: ImportColumn[]) => void = () => {},
): Promise<ImportDefinition> {
  const { columns, delimiter } = await examineFile(upload(text));
  change(columns);
  return {
    target: { kind: 'new', key, title: key, display: [columns[0]?.key ?? ''] },
    columns,
    delimiter,
    cells: columns.length,
    rejected: 'refuse',
    corrections: [],
  };
}

async function bring(text: string, definition: ImportDefinition) {
  const id = await openImport(held.db, definition, 'test');
  return runImport(held.db, id, upload(text), 'test');
}

async function count(key: string): Promise<number> {
  const [[row]] = await held.db.knex.raw(`select count(*) as n from ${tableSql(held.db, key)}`);
  return Number(row.n);
}

describe('A1 files as they come', () => {
  it.each([
    ['commas', 'a,b\n1,2\n', ','],
    ['semicolons', 'a;b\n1,5;2\n', ';'],
    ['tabs', 'a\tb\n1\t2\n', '\t'],
    ['bars', 'a|b\n1|2\n', '|'],
    ['a bare quote in a cell', 'a,b\n12" drum,2\n', ','],
    ['quotes with delimiters inside', '"a;1","b"\n"x;y","2"\n', ','],
    ['a byte order mark', '\ufeffa,b\r\n1,2\r\n', ','],
    ['one column', 'name\nVelden\n', ','],
  ])('%s', async (_, text, delimiter) => {
    const found = await examineFile(upload(text));
    expect(found.delimiter).toBe(delimiter);
    expect(found.rows).toBe(1);
    expect(found.profiles[0]?.name).toMatch(/^(a|a;1|name)$/);
  });

  it.each([
    ['an empty file', '', 'file_empty'],
    ['blank lines only', '\n\n  \n', 'file_empty'],
    ['a header only', 'a,b\n', 'header_only'],
    ['the same header twice', 'a,b,A\n1,2,3\n', 'header_twice'],
    ['an open quote', 'a,b\n"1,2\n3,4\n', 'bad_csv'],
  ])('%s is refused with a sentence', async (_, text, expected) => {
    expect(await code(examineFile(upload(text)))).toBe(expected);
  });

  it('a wrong encoding is refused with the line', async () => {
    const latin = Buffer.concat([
      Buffer.from('name\nVelden\n'),
      Buffer.from([0x4d, 0xfc, 0x6c, 0x0a]),
    ]);
    await expect(examineFile(upload(latin))).rejects.toMatchObject({
      problems: [{ code: 'not_utf8', message: expect.stringContaining('line 3') }],
    });
    const utf16 = Buffer.from('\ufeffname\nx\n', 'utf16le');
    expect(await code(examineFile(upload(utf16)))).toBe('not_utf8');
  });

  it('300 columns can be examined; too many to keep are refused, fewer are taken', async () => {
    const header = Array.from({ length: 300 }, (_, i) => `c${i}`).join(',');
    const text = `${header}\n${header}\n`;
    const definition = await definitionOf(text, 'wide');
    expect(definition.columns).toHaveLength(300);
    expect(await code(openImport(held.db, definition, 'test'))).toBe('too_many_columns');
    const fewer = { ...definition, columns: definition.columns.slice(100, 240) };
    const target = { kind: 'new' as const, key: 'wide', title: 'wide', display: ['c100'] };
    const result = await bring(text, { ...fewer, target });
    expect(result.written).toBe(1);
  });

  it('a cell of 5 MB is a rejected row, not a broken import', async () => {
    const text = `name,note\nfirst,${'x'.repeat(5 * 1024 * 1024)}\nsecond,short\n`;
    const definition = await definitionOf(text, 'huge');
    expect(definition.columns[1]?.type.kind).toBe('long_text');
    const result = await bring(text, { ...definition, rejected: 'leave_out' });
    expect(result).toMatchObject({ rows: 2, written: 1, rejectedRows: 1 });
    expect(result.rejections[0]).toMatchObject({
      line: 2,
      column: 'note',
      problem: { code: 'too_long' },
    });
  });

  it('formula-like text stays text, and headers with quotes become columns', async () => {
    const text = 'select,"a ""quoted"" name"\n=1+1,"line one\nline two"\n';
    await bring(text, await definitionOf(text, 'odd'));
    const [[row]] = await held.db.knex.raw(`select * from ${tableSql(held.db, 'odd')}`);
    expect(row).toMatchObject({ select: '=1+1', a_quoted_name: 'line one\nline two' });
  });
});

describe('A1 rejected rows', () => {
  const text = 'code,pages\nA,1\nB,many\nA,3\nC\n';
  const unique = (columns: ImportColumn[]) => {
    Object.assign(columns[0] ?? {}, { unique: true, required: true });
    Object.assign(columns[1] ?? {}, { type: { kind: 'whole' } });
  };

  it('are listed by a check that writes nothing', async () => {
    const id = await openImport(held.db, await definitionOf(text, 'listed', unique), 'test');
    const result = await checkImport(held.db, id, upload(text));
    expect(result.rejections.map((r) => [r.line, r.column, r.problem.code])).toEqual([
      [3, 'pages', 'not_whole'],
      [4, 'code', 'twice_in_file'],
      [5, null, 'ragged_row'],
    ]);
    expect((await loadTables(held.db)).has('listed')).toBe(false);
  });

  it('stop the import whole, and leave no table behind', async () => {
    const definition = await definitionOf(text, 'whole', unique);
    await expect(bring(text, definition)).rejects.toMatchObject({
      problems: [{ code: 'rows_rejected' }],
      result: { rejectedRows: 3 },
    });
    expect((await loadTables(held.db)).has('whole')).toBe(false);
    const [tables] = await held.db.knex.raw('show tables in ?? like ?', [held.db.records, 'whole']);
    expect(tables).toEqual([]);
  });

  it('are left out where so wished', async () => {
    const definition = await definitionOf(text, 'others', unique);
    expect(await bring(text, { ...definition, rejected: 'leave_out' })).toMatchObject({
      written: 1,
    });
    expect(await count('others')).toBe(1);
  });
});

describe('A4 a text column becomes a reference by matching', () => {
  it('links to the records that are named, and lists what names none', async () => {
    const regions = 'name\nNorth Marches\nSouth Fells\n';
    await bring(regions, await definitionOf(regions, 'region'));
    const towns = 'name,region\nVelden,north marches\nOakhurst,South Fells\nLost,Nowhere\n';
    const definition = await definitionOf(towns, 'town', (columns) => {
      Object.assign(columns[1] ?? {}, {
        type: { kind: 'reference', table: 'region' },
        match: 'name',
      });
    });
    const id = await openImport(held.db, definition, 'test');
    const checked = await checkImport(held.db, id, upload(towns));
    expect(checked.rejections.map((r) => `${r.line} ${r.problem.message}`)).toEqual([
      '4 No region has name “Nowhere”.',
    ]);
    await bring(towns, { ...definition, rejected: 'leave_out' });
    const sql = `select t.name, r.name as region from ${tableSql(held.db, 'town')} t join ${tableSql(held.db, 'region')} r on r.id = t.region order by t.id`;
    const [rows] = await held.db.knex.raw(sql);
    expect(rows).toEqual([
      { name: 'Velden', region: 'North Marches' },
      { name: 'Oakhurst', region: 'South Fells' },
    ]);
  });
});

describe('rows for a table that is there', () => {
  it('are added in one transaction; a value that is taken refuses them all', async () => {
    const first = 'code,n\nA,1\nB,2\n';
    const unique = (columns: ImportColumn[]) =>
      void Object.assign(columns[0] ?? {}, { unique: true });
    await bring(first, await definitionOf(first, 'growing', unique));
    const again = async (text: string) => {
      const definition = await definitionOf(text, 'growing');
      return bring(text, { ...definition, target: { kind: 'existing', table: 'growing' } });
    };
    expect(await again('code,n\nC,3\n')).toMatchObject({ written: 1 });
    expect(await code(again('code,n\nD,4\nB,5\n'))).toBe('rows_rejected');
    expect(await count('growing')).toBe(3);
  });

  it('an import is done once', async () => {
    const text = 'name\nx\n';
    const id = await openImport(held.db, await definitionOf(text, 'once'), 'test');
    await runImport(held.db, id, upload(text), 'test');
    expect(await code(runImport(held.db, id, upload(text), 'test'))).toBe('import_closed');
    expect(await code(runImport(held.db, 'no-such', upload(text), 'test'))).toBe('unknown_import');
  });

  it('20,000 rows come in whole, with progress', async () => {
    const lines = Array.from({ length: 20_000 }, (_, i) => `SC-${i},Title ${i},${i % 300}`);
    const text = `code,title,pages\n${lines.join('\n')}\n`;
    const id = await openImport(held.db, await definitionOf(text, 'many'), 'test');
    const told: number[] = [];
    const result = await runImport(held.db, id, upload(text), 'test', (n) => told.push(n));
    expect(result.written).toBe(20_000);
    expect(await count('many')).toBe(20_000);
    expect(told.length).toBeGreaterThan(5);
    expect(told).toEqual([...told].sort((a, b) => a - b));
  });
});
