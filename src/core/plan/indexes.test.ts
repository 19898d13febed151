import { describe, expect, it } from 'vitest';
import { lookupOf, field, planOf } from '../../../tests/support/definitions';
import { lendingPlan, lendingTables } from '../../../tests/support/lending';
import { houseOf } from '../table/sources';
import {
  hasIndex,
  isLookedThrough,
  isTakenIn,
  largeFrom,
  searchIndexes,
  standsBeside,
  isUnsorted,
  missingIndexes,
  secondsFor,
  wantedIndexes,
} from './indexes';

describe('the indexes that a plan wants', () => {
  const plan = lendingPlan();

  it('are missing until the tables have them, each once', () => {
    const missing = missingIndexes(plan, lendingTables);
    expect(missing.length).toBeGreaterThan(2);
    const names = missing.map(({ table, index }) => `${table} ${index.kind} ${index.columns}`);
    expect(new Set(names).size).toBe(names.length);
    const having = houseOf(
      [...lendingTables.values()].map((table) => {
        const own = missing.filter((one) => one.table === table.key).map(({ index }) => index);
        return [table.key, { ...table, indexes: [...table.indexes, ...own] }] as const;
      }),
    );
    expect(missingIndexes(plan, having)).toEqual([]);
  });

  it('leave a large table to be looked through, until they are there', () => {
    const town = field('town', { savesTo: 'town', choices: lookupOf('town') });
    const large = new Map([['town', 500_000]]);
    expect(isLookedThrough(town, lendingTables, large)).toBe(true);
    expect(isLookedThrough(town, lendingTables, new Map([['town', 96]]))).toBe(false);
    const made = missingIndexes(planOf('ensemble', [town]), lendingTables);
    const having = houseOf(
      [...lendingTables.values()].map((table) => {
        const own = made.filter((one) => one.table === table.key).map(({ index }) => index);
        return [table.key, { ...table, indexes: own }] as const;
      }),
    );
    expect(isLookedThrough(town, having, large)).toBe(false);
  });

  it('are made beside a large table for words, which are searched for once all are there', () => {
    const [words, order] = (['search', 'order'] as const).map((kind) => ({
      kind,
      columns: ['name'],
    }));
    expect(standsBeside(words as never, largeFrom)).toBe(true);
    expect(standsBeside(words as never, largeFrom - 1)).toBe(false);
    expect(standsBeside(order as never, 10_000_000)).toBe(false);
    const town = field('town', { savesTo: 'town', choices: lookupOf('town') });
    const having = (whole: boolean) =>
      houseOf(
        [...lendingTables.values()].map((table) => {
          const [index] = searchIndexes(table, ['name'], lendingTables);
          const beside = { name: '0123456789ab', whole };
          return [
            table.key,
            { ...table, indexes: index ? [{ ...index.index, beside }] : [] },
          ] as const;
        }),
      );
    expect(isTakenIn(town, having(false))).toBe(true);
    expect(isTakenIn(town, having(true))).toBe(false);
    expect(isTakenIn(town, lendingTables)).toBe(false);
    // They are not made again while they are under way.
    const plan = planOf('ensemble', [town]);
    const kinds = missingIndexes(plan, having(false)).map(({ index }) => index.kind);
    expect(kinds).not.toContain('search');
  });

  it('cannot give a large table an order through a reference, or one that turns round', () => {
    const large = new Map([['ensemble', 500_000]]);
    const ensemble = (...order: [string, boolean][]) =>
      field('ensemble', {
        savesTo: 'ensemble',
        choices: lookupOf('ensemble', {
          order: order.map(([path, descending]) => ({ path, descending })),
        } as never),
      });
    const told = (...order: [string, boolean][]) =>
      isUnsorted(ensemble(...order), lendingTables, large);
    expect(told(['name', false])).toBe(false);
    expect(told(['name', true], ['contact', true])).toBe(false);
    expect(told(['town.name', false])).toBe(true);
    expect(told(['name', false], ['contact', true])).toBe(true);
    expect(isUnsorted(ensemble(['town.name', false]), lendingTables, new Map())).toBe(false);
  });

  it('are for searching, and for order under what narrows', () => {
    const town = field('town', {
      savesTo: 'town',
      choices: lookupOf('town', {
        narrowings: [{ path: 'region', operator: 'equal', field: 'region', whenEmpty: 'nothing' }],
      } as never),
    });
    const wanted = wantedIndexes(planOf('ensemble', [town]), lendingTables);
    expect(
      hasIndex(
        wanted.map(({ index }) => index),
        { kind: 'search', columns: ['name'] },
      ),
    ).toBe(true);
    const [order] = wanted.filter(({ index }) => index.kind === 'order');
    expect(order?.index.columns[0]).toBe('region');
  });

  it('are for words in the records that are referred to, where those are shown', () => {
    const shown = ['score.code', 'score.name', 'quantity'];
    const movement = field('movement', { choices: lookupOf('copy_movement', { shown } as never) });
    const wanted = wantedIndexes(planOf('loan', [movement]), lendingTables);
    const searched = wanted.filter(({ index }) => index.kind === 'search');
    expect(searched).toEqual([
      { table: 'score', index: { kind: 'search', columns: ['code', 'name'] } },
    ]);
  });

  it('take their time by how many records there are', () => {
    expect(secondsFor({ kind: 'search', columns: ['name'] }, 60_000)).toBe(2);
    // Beside the table, with pauses.
    expect(secondsFor({ kind: 'search', columns: ['name'] }, 1_000_000)).toBe(84);
    expect(secondsFor({ kind: 'order', columns: ['name'] }, 1_000_000)).toBe(3);
  });
});
