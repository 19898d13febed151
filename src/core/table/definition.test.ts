import { houseOf } from './sources';
import { describe, expect, it } from 'vitest';
import { column, reference, table } from '../../../tests/support/definitions';
import { keyFrom, type Table } from './definition';
import { mostColumns, tableProblems } from './definition-problems';
import { displayPaths, pathLabel, reachablePaths, resolvePath, shownLine } from './paths';

const region = table('region', [column('name')]);
const town = table('town', [column('name'), reference('region')]);
const ensemble: Table = {
  ...table('ensemble', [column('name'), reference('town')]),
  display: ['name', 'town'],
};
const tables = houseOf([region, town, ensemble].map((t) => [t.key, t] as const));

describe('A1 what is wrong with a table is said at its place', () => {
  const codes = (t: Table) => tableProblems(t, tables).map((p) => `${p.path}:${p.code}`);

  it.each<[string, Table, string]>([
    ['no column', { ...region, columns: [], display: [] }, 'columns:no_columns'],
    ['a key twice', table('x', [column('a'), column('a')]), 'columns[1]:column_twice'],
    ['a key of the house', table('x', [column('id')]), 'columns[0]:column_reserved'],
    ['a reference to nothing', table('x', [reference('gone')]), 'columns[0]:reference_missing'],
    ['no display', { ...region, display: [] }, 'display:display_empty'],
    ['a display that is no column', { ...region, display: ['x'] }, 'display:bad_display'],
    [
      'an option twice',
      table('x', [
        column('a', {
          type: { kind: 'option', options: ['b', 'B'].map((value) => ({ value, label: value })) },
        }),
      ]),
      'columns[0]:option_twice',
    ],
    [
      'too many columns',
      table(
        'x',
        Array.from({ length: mostColumns + 1 }, (_, i) =>
          column(`c${i}`, { type: { kind: 'whole' } }),
        ),
      ),
      'columns:too_many_columns',
    ],
    [
      'too full for a page',
      table(
        'x',
        Array.from({ length: 60 }, (_, n) =>
          column(`c${n}`, { type: { kind: 'text', format: 'plain', length: 40 } }),
        ),
      ),
      'columns:row_too_wide',
    ],
    [
      'too wide',
      table(
        'x',
        Array.from({ length: 60 }, (_, i) => column(`c${i}`)),
      ),
      'columns:row_too_wide',
    ],
  ])('%s', (_, wrong, expected) => {
    expect(codes(wrong)).toContain(expected);
  });

  it('finds nothing wrong with a column named select', () => {
    expect(codes(table('x', [column('select')]))).toEqual([]);
  });
});

describe('keys made from labels', () => {
  it.each([
    ['Due back (date)', 'due_back_date'],
    ['Prüfung Größe', 'prufung_gro_e'],
    ['"quoted" `name`', 'quoted_name'],
    ['1st', 'c_1st'],
    ['★', 'column'],
    ['id', 'id_2'],
    ['select', 'select'],
  ])('%s → %s', (label, key) => {
    expect(keyFrom(label)).toBe(key);
  });

  it('never gives a key twice', () => {
    expect(keyFrom('Name', ['name', 'name_2'])).toBe('name_3');
  });
});

describe('A3 records are shown by their display columns, through references', () => {
  it('follows references to what shows the referred record', () => {
    expect(displayPaths(tables, ensemble)).toEqual(['name', 'town.name']);
  });

  it('falls back to the number where a table shows itself by itself', () => {
    const loop = { ...table('loop', [reference('loop')]), display: ['loop'] };
    expect(displayPaths(houseOf([['loop', loop]]), loop)).toEqual(['id']);
  });

  it('resolves paths and names them', () => {
    expect(resolvePath(tables, ensemble, 'town.region.name')?.table.key).toBe('region');
    expect(resolvePath(tables, ensemble, 'name.region')).toBeNull();
    expect(resolvePath(tables, ensemble, 'town.gone')).toBeNull();
    expect(pathLabel(tables, ensemble, 'town.region.name')).toBe('town › region › name');
    expect(reachablePaths(tables, ensemble, 2).map((p) => p.path)).toEqual([
      'name',
      'town',
      'town.name',
      'town.region',
      'town.region.name',
    ]);
  });

  it('joins the parts that are there', () => {
    expect(shownLine(['Velden', '', 'VTW'])).toBe('Velden · VTW');
    expect(shownLine([''])).toBe('unnamed');
  });
});
