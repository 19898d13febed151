import { describe, expect, it } from 'vitest';
import { fullestPage, pageBytes, rowBytes, widestRow } from '../table/definition-problems';

import { plainText, type ValueType } from '../values/types';
import { ColumnProfiler, couldBeTable, otherTypes } from './csv-profile';
import { proposeColumns, RowReader, type ImportColumn } from './csv-rows';

function profile(...cells: string[]) {
  const profiler = new ColumnProfiler('It');
  for (const cell of cells) profiler.add(cell);
  return profiler.profile();
}

describe('A1 column types are proposed from all rows', () => {
  it.each<[string[], Partial<ValueType>]>([
    [['1', '2', '', '30'], { kind: 'whole' }],
    [['0042', '0043'], { kind: 'text' }],
    [['1.5', '12.50', '3'], { kind: 'decimal', scale: 2 }],
    [['1,5', '12,25'], { kind: 'decimal', scale: 2 }],
    [['yes', 'no', 'Yes'], { kind: 'yes_no' }],
    [['2027-03-01', '2027-12-31'], { kind: 'date' }],
    [['13.1.2027', '1.2.2027'], { kind: 'date' }],
    [['2027-03-01 14:30', '2027-03-02 09:00'], { kind: 'date_time' }],
    [['14:30', '9:05', '23:59:59'], { kind: 'time' }],
    [['14:30', '24:30'], { kind: 'text' }],
    [['3:2', '2:1'], { kind: 'text' }],
    [['P3D', 'PT1H30M'], { kind: 'duration' }],
    [['P3D', 'Polka'], { kind: 'text' }],
    [['a@example.org', 'b@example.org'], { kind: 'text', format: 'email' }],
    [['=1+1', '=2+2'], { kind: 'text', format: 'plain' }],
    [['', ' '], { kind: 'text' }],
    [['one\ntwo'], { kind: 'long_text' }],
    [['x'.repeat(300)], { kind: 'long_text' }],
  ])('%j', (cells, proposed) => {
    expect(profile(...cells).proposed).toMatchObject(proposed);
  });

  it('is not misled by the first rows: one late text makes the column text', () => {
    const cells = Array.from({ length: 500 }, (_, i) => String(i));
    expect(profile(...cells, 'n/a').proposed.kind).toBe('text');
  });

  it('finds the order of day and month that fits every row', () => {
    expect(profile('1/2/2027', '13/2/2027').reading.dates).toBe('dmy');
    expect(profile('1/2/2027', '2/13/2027').reading.dates).toBe('mdy');
  });

  it('knows whether all values differ, letters of any case', () => {
    expect(profile('a', 'b', '').unique).toBe(true);
    expect(profile('a', 'b', 'A').unique).toBe(false);
  });

  it('gives many short texts the length at which they need least room on a page', () => {
    const columns = proposeColumns(Array.from({ length: 140 }, () => profile('x')));
    expect(pageBytes(columns)).toBeLessThanOrEqual(fullestPage);
    expect(columns.every(({ type }) => type.kind === 'text' && type.length === 64)).toBe(true);
  });

  it('turns short texts into long ones where a record would be too wide', () => {
    const profiles = Array.from({ length: 140 }, () => profile('x'.repeat(200)));
    const columns = proposeColumns(profiles);
    expect(rowBytes(columns)).toBeLessThanOrEqual(widestRow);
    expect(new Set(columns.map((c) => c.key)).size).toBe(140);
  });
});

describe('A1 rejected rows have their line, column and reason', () => {
  const columns: ImportColumn[] = [
    { ...importColumn('code', 0), required: true, unique: true },
    { ...importColumn('pages', 1), type: { kind: 'whole' } },
    { ...importColumn('town', 2), type: { kind: 'reference', table: 'town' }, match: 'name' },
  ];
  const reader = () =>
    new RowReader(
      columns,
      3,
      {
        find: (_, given) => ({ Velden: 5, Twice: 'ambiguous' as const })[given] ?? null,
        names: () => ({ table: 'town', column: 'name' }),
      },
      (text) => text.toLowerCase(),
    );

  it('reads good rows in the order of the columns', () => {
    expect(reader().read(['A', '12', 'Velden'], 2)).toEqual(['A', 12, 5]);
    expect(reader().read(['A', '', ''], 2)).toEqual(['A', null, null]);
  });

  it('lists everything that is wrong with a row', () => {
    const rejected = reader().read(['', 'many', 'Nowhere'], 7);
    expect(rejected).toMatchObject([
      { line: 7, column: 'code', problem: { code: 'required' } },
      { line: 7, column: 'pages', problem: { code: 'not_whole' } },
      { line: 7, column: 'town', problem: { message: 'No town has name “Nowhere”.' } },
    ]);
    expect(reader().read(['A', '1', 'Twice'], 2)).toMatchObject([
      { problem: { code: 'ambiguous_match' } },
    ]);
  });

  it('refuses a value that stands twice, naming the first line, and ragged rows', () => {
    const used = reader();
    used.read(['A', '1', ''], 2);
    expect(used.read(['a', '1', ''], 9)).toMatchObject([
      { problem: { code: 'twice_in_file', message: 'code “a” appears twice, first in line 2.' } },
    ]);
    expect(used.read(['B', '1'], 10)).toMatchObject([
      { column: null, problem: { code: 'ragged_row' } },
    ]);
  });
});

function importColumn(key: string, source: number): ImportColumn {
  return {
    key,
    label: key,
    type: { kind: 'text', format: 'plain', length: 20 },
    required: false,
    unique: false,
    source,
    reading: { decimal: '.', dates: 'ymd' },
    match: null,
  };
}

describe('A1 what else a column of texts could be', () => {
  const kinds = (...cells: string[]) => {
    const learnt = profile(...cells);
    return otherTypes(learnt, learnt.proposed).map(({ kind }) => kind);
  };

  it('is a list of options where few values stand several times each', () => {
    const cells = ['brass', 'string', 'brass', 'string', 'brass', 'string'];
    const [list] = otherTypes(profile(...cells), plainText);
    const options = ['brass', 'string'].map((value) => ({ value, label: value }));
    expect(list).toEqual({ kind: 'option', options });
    expect(kinds('brass', 'string', 'reed')).toEqual([]);
    expect(kinds('brass', 'brass', 'brass')).toEqual([]);
  });

  it('is a table of its own where the same names come again and again', () => {
    const could = (different: number, ...cells: string[]) =>
      couldBeTable(profile(...cells), different);
    const makers = ['Quist', 'Velden', 'Quist', 'Velden', 'Quist', 'Velden'];
    expect(could(2, ...makers)).toBe(true);
    expect(could(2, ...makers.slice(1))).toBe(false);
    expect(could(1, 'Quist', 'Quist', 'Quist')).toBe(false);
    expect(could(2, ...makers.map((name) => `${name}@example.org`))).toBe(false);
    expect(could(2, '1', '1', '1', '1', '1', 'later')).toBe(false);
    expect(could(2, '1', '1', '1', '2', '2', '2')).toBe(false);
  });

  it('is what most of them look like, and never what none contradicts, or codes', () => {
    expect(kinds('1', '2', '3', 'on request')).toEqual(['decimal']);
    expect(kinds('2026-01-31', '2026-02-01', 'later')).toEqual(['date']);
    expect(kinds('1', '1', '1', '2', '2', '2', '2', 'later', 'later')).toEqual(['decimal']);
    expect(kinds('1', 'two', 'three')).toEqual([]);
    expect(kinds('001', '002', '003')).toEqual([]);
    expect(otherTypes(profile('1', '2', '3'), { kind: 'whole' })).toEqual([]);
  });
});
