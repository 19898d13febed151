import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { ValueType } from '../values/types';
import {
  columnsShown,
  gridView,
  groupsOf,
  markOf,
  namedViewSchema,
  plainView,
  renamedView,
  totalOf,
  viewSchema,
} from './view';

const money: ValueType = { kind: 'decimal', precision: 8, scale: 2 };
const whole: ValueType = { kind: 'whole' };

describe('A6 totals', () => {
  it('are exact, and leave out what is not filled in', () => {
    const values = ['0.10', '0.20', null, '1000000.05'];
    expect(totalOf('sum', money, values)).toBe('1000000.35');
    expect(totalOf('count', money, values)).toBe(3);
    expect(totalOf('least', money, values)).toBe('0.10');
    expect(totalOf('greatest', money, values)).toBe('1000000.05');
    expect(totalOf('average', whole, [1, 2, 2])).toBe('1.6667');
  });

  it('of nothing are nothing, but for sums and counts', () => {
    expect(totalOf('sum', money, [null])).toBe('0.00');
    expect(totalOf('count', money, [])).toBe(0);
    expect(totalOf('average', money, [])).toBeNull();
    expect(totalOf('greatest', { kind: 'date' }, [])).toBeNull();
  });

  it('of dates are the first and the last one', () => {
    const dates = ['2026-03-01', null, '2025-12-31'];
    expect(totalOf('least', { kind: 'date' }, dates)).toBe('2025-12-31');
    expect(totalOf('greatest', { kind: 'date' }, dates)).toBe('2026-03-01');
  });

  it('of groups make the total of all', () => {
    const row = fc.record({ group: fc.integer({ min: 0, max: 4 }), cents: fc.integer() });
    fc.assert(
      fc.property(fc.array(row), (rows) => {
        const groups = groupsOf(rows, ({ group }) => group);
        expect(groups.flatMap((g) => g.rows)).toHaveLength(rows.length);
        for (const { value, rows: inside } of groups) {
          expect(inside.every(({ group }) => group === value)).toBe(true);
        }
        const sums = groups.map((g) =>
          totalOf(
            'sum',
            whole,
            g.rows.map(({ cents }) => cents),
          ),
        );
        expect(totalOf('sum', whole, sums)).toBe(
          totalOf(
            'sum',
            whole,
            rows.map(({ cents }) => cents),
          ),
        );
      }),
    );
  });
});

describe('A6 thresholds', () => {
  const view = viewSchema.parse({
    thresholds: [
      { column: 'fee', from: '100', tone: 'bad', word: 'dear' },
      { column: 'fee', from: '9.5', tone: 'watch', word: 'high' },
      { column: 'copies', from: '0', tone: 'good', word: 'there' },
    ],
  });

  it('mark by the highest one that is reached', () => {
    const word = (column: string, value: string | number | null) =>
      markOf(view, column, value)?.word ?? null;
    expect(word('fee', '9.49')).toBeNull();
    expect(word('fee', '9.50')).toBe('high');
    expect(word('fee', '1000')).toBe('dear');
    expect(word('copies', 0)).toBe('there');
    expect(word('copies', null)).toBeNull();
    expect(word('pages', 5)).toBeNull();
  });

  it('need a word and a number', () => {
    const wrong = { column: 'fee', from: '1e9', tone: 'bad', word: 'x' };
    expect(viewSchema.safeParse({ thresholds: [wrong] }).success).toBe(false);
    const wordless = { column: 'fee', from: '1', tone: 'bad', word: ' ' };
    expect(viewSchema.safeParse({ thresholds: [wordless] }).success).toBe(false);
  });
});

describe('a view', () => {
  const view = viewSchema.parse({
    filter: [{ path: 'ensemble.town', operator: 'equal', values: [3] }],
    sort: [{ path: 'fee' }],
    group: 'fee',
    totals: [{ column: 'fee', kind: 'sum' }],
  });

  it('follows its columns to another key', () => {
    const renamed = renamedView(view, (key) => (key === 'fee' ? 'price' : key));
    expect(renamed).toEqual({
      ...view,
      sort: [{ path: 'price', descending: false }],
      group: 'price',
      totals: [{ column: 'price', kind: 'sum' }],
    });
  });

  it('loses what a removed column held', () => {
    expect(renamedView(view, (key) => (key === 'fee' ? null : key))).toEqual({
      ...plainView,
      filter: view.filter,
    });
  });
});

describe('what is summed and marked in lines', () => {
  const named = namedViewSchema.parse({
    key: 'short',
    title: 'Short',
    totals: [{ column: 'n', kind: 'sum' }],
    thresholds: [{ column: 'n', from: '10', tone: 'watch', word: 'much' }],
    picture: { by: 'n', total: null },
  });
  const own = {
    view: 'short',
    totals: [
      { column: 'n', kind: 'sum' as const },
      { column: 'n', kind: 'count' as const },
    ],
    thresholds: [{ column: 'n', from: '20', tone: 'bad' as const, word: 'too much' }],
    picture: null,
  };

  it('is the named view of the table and what the grid says itself, each once', () => {
    const view = gridView([named], own);
    expect(view.totals.map(({ kind }) => kind)).toEqual(['sum', 'count']);
    expect(view.thresholds.map(({ word }) => word)).toEqual(['much', 'too much']);
    expect(view.picture).toEqual({ by: 'n', total: null });
    const drawn = { by: 'm', total: { column: 'n', kind: 'sum' as const } };
    expect(gridView([named], { ...own, picture: drawn }).picture).toEqual(drawn);
  });

  it('is its own alone where the view is gone', () => {
    expect(gridView(undefined, own).totals).toEqual(own.totals);
    expect(gridView([named], { ...own, view: null }).thresholds).toEqual(own.thresholds);
  });
});

describe('A10 what a view shows', () => {
  const columns = [{ key: 'a' }, { key: 'b' }, { key: 'c' }];
  const shown = (...keys: string[]) => ({
    columns: keys.map((column) => ({ column, width: null })),
  });

  it('is all columns, some in an order of their own, and never none', () => {
    expect(columnsShown(columns, plainView)).toEqual(columns);
    expect(columnsShown(columns, shown('c', 'a'))).toEqual([{ key: 'c' }, { key: 'a' }]);
    expect(columnsShown(columns, shown('gone', 'b'))).toEqual([{ key: 'b' }]);
    expect(columnsShown(columns, shown('gone'))).toEqual(columns);
  });

  it('follows columns that go by other keys, and lets go of those that are gone', () => {
    const view = viewSchema.parse({
      ...shown('a', 'b'),
      picture: { by: 'a', total: { column: 'b', kind: 'sum' } },
    });
    const renamed = renamedView(view, (key) => ({ a: 'x', b: 'b' })[key] ?? null);
    expect(renamed.columns?.map(({ column }) => column)).toEqual(['x', 'b']);
    expect(renamed.picture).toEqual({ by: 'x', total: { column: 'b', kind: 'sum' } });
    const less = renamedView(view, (key) => (key === 'a' ? 'a' : null));
    expect(less.picture).toEqual({ by: 'a', total: null });
    expect(renamedView(view, () => null)).toMatchObject({ columns: null, picture: null });
  });
});
