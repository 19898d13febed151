import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { ValueType } from '../values/types';
import { fromFeel, kindFitsType, kindOfType, shownFeel, toFeel } from './convert';
import { toText, type Feel } from './feel';
import { compileFormula, evaluate } from './formula';
import * as kinds from './kinds';

const clock = { today: () => '2027-03-01', now: () => '2027-03-01T14:30:00Z' };
const none = { find: () => null, all: () => [] };

function worked(source: string): Feel {
  const compiled = compileFormula(source, none);
  if ('problem' in compiled) throw new Error(compiled.problem.problem.message);
  const evaluated = evaluate(compiled.formula, null, clock);
  if ('problem' in evaluated) throw new Error(evaluated.problem.message);
  return evaluated.value;
}
const result = (source: string) => toText(worked(source));
const code = (source: string) => {
  const compiled = compileFormula(source, none);
  return 'problem' in compiled ? compiled.problem.problem.code : 'taken';
};

const dayLength = 86_400_000;
const iso = (at: number) => new Date(at).toISOString().slice(0, 10);
/** A day between the years 1600 and 2400, in milliseconds since 1970. */
const day = fc
  .integer({
    min: Math.floor(Date.UTC(1600, 0, 1) / dayLength),
    max: Math.floor(Date.UTC(2400, 0, 1) / dayLength),
  })
  .map((days) => days * dayLength);
const lastOf = (year: number, month: number) => new Date(Date.UTC(year, month + 1, 0)).getUTCDate();

describe('D2 days', () => {
  it('are counted as the calendar has them, forth and back', () => {
    fc.assert(
      fc.property(day, fc.integer({ min: -40_000, max: 40_000 }), (at, n) => {
        const [from, to] = [iso(at), iso(at + n * dayLength)];
        const by = `duration("${n < 0 ? '-' : ''}P${Math.abs(n)}D")`;
        expect(result(`date("${from}") + ${by}`)).toBe(to);
        expect(result(`date("${to}") - ${by}`)).toBe(from);
        expect(result(`(date("${to}") - date("${from}")).days`)).toBe(String(n));
      }),
      { numRuns: 60 },
    );
  });

  it('of months end where the month does', () => {
    fc.assert(
      fc.property(day, fc.integer({ min: 0, max: 400 }), (at, n) => {
        const from = new Date(at);
        const months = from.getUTCFullYear() * 12 + from.getUTCMonth() + n;
        const [year, month] = [Math.floor(months / 12), months % 12];
        const date = Math.min(from.getUTCDate(), lastOf(year, month));
        const expected = iso(Date.UTC(year, month, date));
        expect(result(`date("${iso(at)}") + duration("P${n}M")`)).toBe(expected);
      }),
      { numRuns: 60 },
    );
  });

  it('are named and numbered as the calendar has them', () => {
    fc.assert(
      fc.property(day, (at) => {
        const date = new Date(at);
        const [year, month] = [date.getUTCFullYear(), date.getUTCMonth()];
        const told = (f: string) => result(`${f}(date("${iso(at)}"))`);
        const words = (options: Intl.DateTimeFormatOptions) =>
          new Intl.DateTimeFormat('en', { ...options, timeZone: 'UTC' }).format(date);
        expect(told('day of week')).toBe(words({ weekday: 'long' }));
        expect(told('month of year')).toBe(words({ month: 'long' }));
        expect(told('day of year')).toBe(String((at - Date.UTC(year, 0, 1)) / dayLength + 1));
        expect(told('last day of month')).toBe(iso(Date.UTC(year, month, lastOf(year, month))));
        // ISO 8601: the week belongs to the year of its Thursday.
        const thursday = at + (4 - (date.getUTCDay() || 7)) * dayLength;
        const first = Date.UTC(new Date(thursday).getUTCFullYear(), 0, 1);
        const week = Math.floor((thursday - first) / dayLength / 7) + 1;
        expect(told('week of year')).toBe(String(week));
      }),
      { numRuns: 60 },
    );
  });

  it('outside of the years 1 to 9999 are none', () => {
    expect(result('date("9999-12-31") + duration("P1D")')).toBeNull();
    expect(result('date("0001-01-01") - duration("P1D")')).toBeNull();
    expect(result('date("9999-12-31") + duration("P1M")')).toBeNull();
  });
});

describe('D2 dates, times and durations', () => {
  it.each([
    ['today()', '2027-03-01'],
    ['now()', '2027-03-01T14:30:00Z'],
    ['date(2027, 3, 1)', '2027-03-01'],
    ['date(2027, 2, 29)', null],
    ['date(now())', '2027-03-01'],
    ['date("soon" + "")', null],
    ['time("08:05:00")', '08:05:00'],
    ['time(8, 5, 0)', '08:05:00'],
    ['time(25, 0, 0)', null],
    ['time(now())', '14:30:00'],
    ['date and time(today(), time("08:05:00"))', '2027-03-01T08:05:00Z'],
    ['date and time("2027-03-01T08:05:00Z") + duration("PT30M")', '2027-03-01T08:35:00Z'],
    ['date and time("2027-01-31T08:05:00Z") + duration("P1M")', '2027-02-28T08:05:00Z'],
    ['date and time("2027-01-31T08:05:00Z") - duration("P1M")', '2026-12-31T08:05:00Z'],
    ['now() - date and time("2027-02-28T14:30:00Z")', 'P1D'],
    ['now() - duration("PT15H")', '2027-02-28T23:30:00Z'],
    ['time("23:30:00") + duration("PT1H")', '00:30:00'],
    ['time("00:30:00") - duration("PT1H")', '23:30:00'],
    ['time("08:30:00") - time("07:00:00")', 'PT1H30M'],
    ['duration("P1D") + duration("PT12H")', 'P1DT12H'],
    ['duration("P1D") - duration("PT12H")', 'PT12H'],
    ['duration("P1D") * 1.5', 'P1DT12H'],
    ['2 * duration("PT45M")', 'PT1H30M'],
    ['duration("P3D") / 2', 'P1DT12H'],
    ['duration("P3D") / duration("P1D")', '3'],
    ['duration("P1Y") + duration("P6M")', 'P1Y6M'],
    ['duration("P1Y") - duration("P6M")', 'P6M'],
    ['duration("P6M") * 3', 'P1Y6M'],
    ['duration("P1Y") / 5', 'P2M'],
    ['duration("P1Y") / duration("P4M")', '3'],
    ['years and months duration(date("2026-01-31"), date("2027-03-01"))', 'P1Y1M'],
    ['years and months duration(date("2027-03-01"), date("2026-01-31"))', '-P1Y1M'],
    ['duration("P1D") / duration("PT0S")', null],
    ['duration("P1Y") / 0', null],
    ['today().weekday', '1'],
    ['[now().year, now().month, now().day, now().hour, now().minute]', '[2027, 3, 1, 14, 30]'],
    ['duration("P1DT2H3M4S").hours', '2'],
    ['duration("P1Y6M").months', '6'],
    ['today() < today() + duration("P1D")', 'true'],
    ['time("08:00:00") in [time("07:00:00")..time("09:00:00")]', 'true'],
    ['duration("P10D") > duration("P9DT23H")', 'true'],
    ['duration("a" + " while")', null],
    ['day of week(null)', null],
    ['null + duration("P1D")', null],
  ])('%s is %s', (source, expected) => {
    expect(result(source)).toBe(expected);
  });

  it.each(['today() + 1', 'today() + today()', 'today() * 2', 'time("08:00:00") - today()'])(
    'do not go together: %s',
    (source) => {
      expect(code(source)).toBe('formula_operands');
    },
  );

  it('are shown to people in words', () => {
    expect(
      ['duration("P1D")', 'duration("P3D")', 'duration("P14M")', 'duration("P1M")', 'null'].map(
        (source) => shownFeel(worked(source)),
      ),
    ).toEqual(['1 day', '3 days', '14 months', '1 month', '–']);
    expect([true, false].map(shownFeel)).toEqual(['yes', 'no']);
  });
});

describe('D2 a value becomes part of a formula, and its result a value', () => {
  const types: ValueType[] = [
    { kind: 'whole' },
    { kind: 'decimal', precision: 12, scale: 2 },
    { kind: 'yes_no' },
    { kind: 'date' },
    { kind: 'time' },
    { kind: 'date_time' },
    { kind: 'text', format: 'plain', length: 40 },
    { kind: 'option', options: [{ value: 'a', label: 'A' }] },
  ];
  const values = [12, '-3.50', true, '2027-03-01', '08:05:00', '2027-03-01T08:05:00Z', 'x', 'a'];

  it('of the same type, unaltered', () => {
    types.forEach((type, i) => {
      const value = values[i] ?? null;
      expect(fromFeel(type, toFeel(type, value))).toBe(value);
      expect(kindFitsType(kindOfType(type), type)).toBe(true);
    });
  });

  it('of another type only where they go together', () => {
    for (const [i, type] of types.entries()) {
      for (const [k, other] of types.entries()) {
        const fits = kindFitsType(kindOfType(type), other);
        const made = fromFeel(other, toFeel(type, values[i] ?? null));
        // What the plan takes is a value; what it refuses is none.
        expect([i, k, made !== undefined]).toEqual([i, k, fits]);
      }
    }
  });

  it('rounded half up to the places that it has', () => {
    const two: ValueType = { kind: 'decimal', precision: 12, scale: 2 };
    const rounded = (source: string, type: ValueType = two) => fromFeel(type, worked(source));
    expect(['0.005', '-0.005', '-0.004', '2 / 3'].map((s) => rounded(s))).toEqual([
      '0.01',
      '-0.01',
      '0.00',
      '0.67',
    ]);
    expect(rounded('2.5', { kind: 'whole' })).toBe(3);
  });

  it('never where it holds several records or rows', () => {
    const rows: ValueType = { kind: 'rows', columns: [] };
    const several: ValueType = { kind: 'references', table: 'score', mirrors: null };
    for (const type of [rows, several]) {
      expect(kindFitsType(kinds.number, type)).toBe(false);
      expect(fromFeel(type, worked('1'))).toBeUndefined();
      expect(fromFeel(type, null)).toBeNull();
    }
  });
});
