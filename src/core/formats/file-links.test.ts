import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ColumnProfiler } from './csv-profile';
import { folded, linksAmong, referredFirst, type ExaminedFile } from './file-links';

/** A file as it would be examined, from its rows with the names of its columns first. */
function file(title: string, ...[head = [], ...rows]: string[][]): ExaminedFile {
  const profiles = head.map((name, i) => {
    const profiler = new ColumnProfiler(name);
    for (const row of rows) profiler.add(row[i] ?? '');
    return profiler.profile();
  });
  const values = head.map((_, i) => {
    const found = new Map<string, number>();
    rows.forEach((row, n) => {
      const text = (row[i] ?? '').trim();
      if (text !== '' && !found.has(text)) found.set(text, n + 2);
    });
    return [...found].map(([text, line]) => ({ text, line }));
  });
  return { title, profiles, values };
}

const towns = file(
  'Towns',
  ['Name', 'Region'],
  ['Velden', 'North'],
  ['Saltmere', 'North'],
  ['Ålby', 'South'],
);
const regions = file('Region', ['Name'], ['North'], ['South']);
const ensembles = file(
  'Ensembles',
  ['Code', 'Town', 'Leader'],
  ['VTW-217', 'velden', ''],
  ['QLO-219', 'Alby', 'VTW-217'],
  ['SAL-001', 'Saltmere', 'VTW-217'],
  ['SAL-002', 'Veldn', 'QLO-219'],
);

describe('links among files', () => {
  it('finds names in other files, whatever their case and accents, and tells those that are not there', () => {
    const links = linksAmong([towns, regions, ensembles]);
    const town = links.find(({ from }) => from.file === 2 && from.column === 1);
    expect(town).toMatchObject({ to: { file: 0, column: 0 }, values: 4, matching: 3 });
    expect(town?.missing).toEqual([{ text: 'Veldn', line: 5, near: 'Velden' }]);
    expect(links.find(({ from }) => from.file === 0)).toMatchObject({
      from: { file: 0, column: 1 },
      to: { file: 1, column: 0 },
      matching: 2,
    });
  });

  it('finds names in the same file, but no column in itself', () => {
    const own = linksAmong([ensembles]);
    expect(own).toMatchObject([{ from: { column: 2 }, to: { column: 0 }, matching: 2 }]);
  });

  it('takes numbers for names only where the column is called after the other file', () => {
    const numbered = file('Towns', ['Id', 'Name'], ['1', 'Velden'], ['2', 'Saltmere']);
    const halls = (name: string) =>
      file('Halls', ['Hall', name], ['A', '1'], ['B', '2'], ['C', '1']);
    expect(linksAmong([numbered, halls('town_id')])).toMatchObject([
      { to: { file: 0, column: 0 } },
    ]);
    expect(linksAmong([numbered, halls('Seats')])).toEqual([]);
  });

  it('holds what it says, for any files', () => {
    const word = fc.constantFrom('ash', 'birch', 'Cedar', 'döm', 'elm', 'fir', '');
    const table = fc.array(fc.tuple(word, word), { minLength: 1, maxLength: 12 });
    fc.assert(
      fc.property(table, table, (one, two) => {
        const files = [file('One', ['a', 'b'], ...one), file('Two', ['c', 'd'], ...two)];
        for (const { from, to, values, matching, missing } of linksAmong(files)) {
          const names = new Set(files[to.file]?.values[to.column]?.map(({ text }) => folded(text)));
          const own = files[from.file]?.values[from.column] ?? [];
          expect(own.length).toBe(values);
          expect(own.filter(({ text }) => names.has(folded(text))).length).toBe(matching);
          expect(missing.length).toBe(values - matching);
        }
      }),
    );
  });
});

describe('the order of files', () => {
  const link = (from: number, to: number) => {
    return { from: { file: from, column: 0 }, to: { file: to, column: 0 } };
  };

  it('has each behind those that it refers to', () => {
    expect(referredFirst(3, [link(0, 1), link(1, 2)])).toEqual([2, 1, 0]);
  });

  it('has all of them, in a circle too', () => {
    expect(referredFirst(3, [link(0, 1), link(1, 0), link(2, 2)]).sort()).toEqual([0, 1, 2]);
  });
});
