import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { everyMonth, mostBars, mostMonths, partOf, picturedRows } from './pictured';
import type { Value, ValueType } from '../values/types';

interface Line {
  by: Value;
  amount: Value;
}
const lines = (...values: (Value | [Value, Value])[]): Line[] =>
  values.map((one) =>
    Array.isArray(one)
      ? { by: one[0] as Value, amount: one[1] as Value }
      : { by: one, amount: null },
  );
const money: ValueType = { kind: 'decimal', precision: 12, scale: 2 };
const draw = (type: ValueType, rows: readonly Line[], kind: 'sum' | 'average' | null = null) =>
  picturedRows(
    rows,
    { type, valueOf: ({ by }) => by, labelOf: (_, value) => `‹${value}›` },
    kind && { kind, type: money, valueOf: ({ amount }) => amount },
  );

describe('a picture of lines', () => {
  it('has a bar for each value, the longest first, with those that have none', () => {
    expect(draw({ kind: 'yes_no' }, lines(true, null, false, false))).toEqual({
      kind: 'bars',
      bars: [
        { value: false, label: '‹false›', n: 2 },
        { value: true, label: '‹true›', n: 1 },
        { value: null, label: '‹null›', n: 1 },
      ],
      others: 0,
    });
  });

  it('measures a total exactly, also of numbers, which have bars of their own then', () => {
    const rows = lines([1, '0.10'], [2, '9.99'], [1, '0.20']);
    expect(draw({ kind: 'whole' }, rows, 'sum')).toMatchObject({
      bars: [
        { value: 2, n: 9.99 },
        { value: 1, n: 0.3 },
      ],
    });
    expect(draw({ kind: 'whole' }, rows, 'average')).toMatchObject({
      bars: [{ n: 9.99 }, { n: 0.15 }],
    });
  });

  it('says how many values have no bar', () => {
    const many = Array.from({ length: mostBars + 7 }, (_, i) => `v${i}`);
    expect(draw({ kind: 'long_text' }, lines(...many))).toMatchObject({ others: 7 });
  });

  it('stands over every month from the first to the last', () => {
    expect(draw({ kind: 'date' }, lines('2025-03-02', null, '2024-12-31', '2025-03-30'))).toEqual({
      kind: 'months',
      months: [
        { month: '2024-12', n: 1 },
        { month: '2025-01', n: 0 },
        { month: '2025-02', n: 0 },
        { month: '2025-03', n: 2 },
      ],
    });
  });

  it('shows the latest months where there are too many', () => {
    const drawn = draw({ kind: 'date' }, lines('1899-01-01', '1995-06-01', '2025-11-30'));
    const months = drawn?.kind === 'months' ? drawn.months : [];
    expect(months).toHaveLength(mostMonths);
    expect(months.at(-1)).toEqual({ month: '2025-11', n: 1 });
    expect(months.filter(({ n }) => n > 0)).toHaveLength(2);
    expect(drawn && partOf(drawn, '1899-01-01')).toBe(-1);
  });

  it('is empty where there is nothing to draw, and none of several values', () => {
    expect(draw({ kind: 'date' }, lines(null))).toEqual({ kind: 'months', months: [] });
    expect(draw({ kind: 'whole' }, lines(null))).toMatchObject({ bins: [] });
    expect(draw({ kind: 'yes_no' }, [])).toMatchObject({ bars: [] });
    expect(draw({ kind: 'references', table: 'town', mirrors: null }, lines(null))).toBeNull();
    expect(everyMonth([])).toEqual([]);
  });

  const day = fc
    .date({ min: new Date('1990-01-01'), max: new Date('2030-01-01'), noInvalidDate: true })
    .map((at) => at.toISOString().slice(0, 10));
  const kinds: [ValueType, fc.Arbitrary<Value>][] = [
    [{ kind: 'whole' }, fc.integer({ min: -500, max: 500 })],
    [money, fc.integer({ min: -99999, max: 99999 }).map((cents) => (cents / 100).toFixed(2))],
    [{ kind: 'date' }, day],
    [{ kind: 'date_time' }, day.map((date) => `${date}T10:00:00Z`)],
    [{ kind: 'yes_no' }, fc.boolean()],
    [{ kind: 'long_text' }, fc.constantFrom('a', 'b', 'c', '')],
  ];
  it.each(kinds)('of %j counts in each part exactly the lines that stand in it', (type, value) => {
    fc.assert(
      fc.property(fc.array(fc.option(value, { nil: null })), (values) => {
        const rows = lines(...values);
        const drawn = draw(type, rows);
        if (!drawn) throw new Error('nothing was drawn');
        const parts =
          drawn.kind === 'bars' ? drawn.bars : drawn.kind === 'months' ? drawn.months : drawn.bins;
        const standing = parts.map(
          (_, place) => rows.filter(({ by }) => partOf(drawn, by) === place).length,
        );
        expect(standing).toEqual(parts.map(({ n }) => n));
        const without = drawn.kind === 'bars' ? 0 : rows.filter(({ by }) => by === null).length;
        expect(standing.reduce((sum, n) => sum + n, 0)).toBe(rows.length - without);
      }),
    );
  });
});
