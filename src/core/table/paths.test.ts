import { houseOf } from './sources';
import { describe, expect, it } from 'vitest';
import { column, reference, table } from '../../../tests/support/definitions';
import type { Table } from './definition';
import {
  displayPaths,
  pathLabel,
  reachablePaths,
  resolvePath,
  shortLabel,
  shownLine,
} from './paths';

const region = table('region', [column('name', { label: 'Name' })]);
const town = table('town', [
  column('name', { label: 'Name' }),
  reference('region', 'region', { label: 'Region' }),
]);
const ensemble = {
  ...table('ensemble', [
    column('name', { label: 'Name' }),
    reference('town', 'town', { label: 'Town' }),
    reference('rival', 'ensemble', { label: 'Rival' }),
  ]),
  display: ['name', 'town'],
};
const tables = houseOf([region, town, ensemble].map((one): [string, Table] => [one.key, one]));

describe('A3 a path through references', () => {
  it('leads to a column of another table, step by step', () => {
    const found = resolvePath(tables, ensemble, 'town.region.name');
    expect(found?.steps.map(({ to }) => to.key)).toEqual(['town', 'region']);
    expect([found?.table.key, found?.column.key]).toEqual(['region', 'name']);
  });

  it.each(['gone', 'town.gone', 'name.town', 'town.name.x', '', 'rival.'.repeat(7) + 'name'])(
    'leads nowhere: %s',
    (path) => {
      expect(resolvePath(tables, ensemble, path)).toBeNull();
    },
  );

  it('is told by the labels of its columns, or by what it is about', () => {
    expect(pathLabel(tables, ensemble, 'town.region.name')).toBe('Town › Region › Name');
    expect(shortLabel(tables, ensemble, 'town.region.name')).toBe('Region');
    expect(shortLabel(tables, ensemble, 'rival.town')).toBe('Town');
    expect(pathLabel(tables, ensemble, 'town.gone')).toBe('town.gone');
  });

  it('shows a record by plain values only, and never runs in a circle', () => {
    expect(displayPaths(tables, ensemble)).toEqual(['name', 'town.name']);
    const round = { ...ensemble, display: ['rival', 'town'] };
    const circle = houseOf([...tables, ['ensemble', round] as const]);
    expect(displayPaths(circle, round)).toEqual(['town.name']);
    const bare = { ...region, display: [] };
    expect(displayPaths(tables, bare)).toEqual(['id']);
  });

  it('is within reach through so many references, nearest first', () => {
    const reached = (depth: number) => reachablePaths(tables, town, depth).map(({ path }) => path);
    expect(reached(0)).toEqual(['name', 'region']);
    expect(reached(1)).toEqual(['name', 'region', 'region.name']);
    for (const { path, column: found } of reachablePaths(tables, ensemble, 3)) {
      expect(resolvePath(tables, ensemble, path)?.column).toBe(found);
    }
  });

  it('makes one line of what shows a record', () => {
    expect(shownLine(['Velden Winds', '', 'VTW-217'])).toBe('Velden Winds · VTW-217');
    expect(shownLine(['', ''])).toBe('unnamed');
  });
});
