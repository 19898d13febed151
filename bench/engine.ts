import { houseOf } from '../src/core/table/sources';
import { evaluate as interpret } from 'feelin';
import { Entry } from '../src/core/entry/entry';
import type { Names } from '../src/core/formula/scope';
import { Decimal, type Feel } from '../src/core/formula/feel';
import { compileFormula, evaluate } from '../src/core/formula/formula';
import * as kinds from '../src/core/formula/kinds';
import { plainField, plainGrid } from '../src/core/plan/draft';
import type { Field, Plan } from '../src/core/plan/schema';
import type { House } from '../src/core/table/definition';
import type { ValueType } from '../src/core/values/types';
import { wireForm } from '../src/core/wiring/form';
import { compare } from './measure';

const clock = { today: () => '2027-03-01', now: () => '2027-03-01T00:00:00Z' };
const money: ValueType = { kind: 'decimal', precision: 20, scale: 2 };
type D = InstanceType<typeof Decimal>;

/** The engine of core against the same work written by hand with the same decimal library. */
export async function engine(): Promise<void> {
  await formulas();
  await wideForm();
  await grid();
}

async function formulas(): Promise<void> {
  const source = 'if weeks > 8 then rate * copies * weeks * 0.9 else rate * copies * weeks + 1';
  const host = { rate: new Decimal('0.60'), copies: new Decimal(12), weeks: new Decimal(10) };
  type Host = typeof host;
  const names: Names<Host> = {
    find: (name) => ({ kind: kinds.number, read: (on) => on[name as keyof Host] as Feel }),
    all: () => Object.keys(host),
  };
  const compiled = compileFormula(source, names);
  if ('problem' in compiled) throw new Error(compiled.problem.problem.message);
  const [eight, tenth, one] = [new Decimal(8), new Decimal('0.9'), new Decimal(1)];
  const byHand = ({ rate, copies, weeks }: Host): D => {
    const plain = rate.times(copies).times(weeks);
    return weeks.greaterThan(eight) ? plain.times(tenth) : plain.plus(one);
  };
  const times = (n: number, work: () => unknown) => async () => {
    for (let i = 0; i < n; i++) work();
  };
  const ours = () => {
    const found = evaluate(compiled.formula, host, clock);
    if (!('value' in found) || found.value === null) throw new Error('no result');
  };
  await compare({
    name: 'formula',
    sizes: '20,000 evaluations, against a closure with the same decimals',
    runs: 30,
    ours: times(20_000, ours),
    reference: times(20_000, () => byHand(host)),
  });
  const plain = { rate: 0.6, copies: 12, weeks: 10 };
  await compare({
    name: 'formula-interpreted',
    sizes: '200 evaluations, against the general interpreter',
    runs: 10,
    ours: times(200, ours),
    reference: times(200, () => interpret(source, plain)),
  });
}

/** 200 fields: 40 that are typed, 160 that hang on them and on one another. */
async function wideForm(): Promise<void> {
  const typed = Array.from({ length: 40 }, (_, i) => number(`t${i}`, { initial: '1.00' }));
  const computed = Array.from({ length: 160 }, (_, i) =>
    number(`c${i}`, { computes: i < 40 ? `t${i} * 2` : `c${i - 40} + t${i % 40}` }),
  );
  const form = wireForm(plan([...typed, ...computed]), tables);
  const entry = new Entry(form, { mode: 'new' });
  let round = 0;
  const values = new Map<string, D>();
  const recalculate = (changed: number) => {
    values.set(`c${changed}`, (values.get(`t${changed}`) as D).times(2));
    for (let i = changed + 40; i < 160; i += 40) {
      const sum = (values.get(`c${i - 40}`) as D).plus(values.get(`t${i % 40}`) as D);
      values.set(`c${i}`, sum);
    }
  };
  for (let i = 0; i < 40; i++) values.set(`t${i}`, new Decimal(1));
  for (let i = 0; i < 40; i++) recalculate(i);
  await compare({
    name: 'change-in-200-fields',
    sizes: '40 typed, 160 computed; 1,000 changes that touch 4 each',
    runs: 20,
    ours: async () => {
      for (let i = 0; i < 1000; i++) entry.set(`t${i % 40}`, `${++round % 97}.50`);
    },
    reference: async () => {
      for (let i = 0; i < 1000; i++) {
        values.set(`t${i % 40}`, new Decimal(`${++round % 97}.50`));
        recalculate(i % 40);
      }
    },
  });
}

/** 1,000 rows with 6 formulas each, and totals over them. */
async function grid(): Promise<void> {
  const form = wireForm(gridPlan(), tables);
  const rows = Array.from({ length: 1000 }, (_, i) => ({
    key: `r${i}`,
    values: { copies: `${(i % 9) + 1}.00`, price: `${(i % 50) + 0.5}0` },
  }));
  const fill = () =>
    new Entry(form, { mode: 'new', values: { weeks: '4.00' }, rows: { lines: rows } });
  const sheet = handSheet(rows.map(({ values }) => values));
  const entry = fill();
  if (entry.value('total') !== sheet.fill().toFixed(2)) throw new Error('the totals differ');
  await compare({
    name: 'grid-first-fill',
    sizes: '1,000 rows with 6 formulas each, 2 totals',
    runs: 15,
    ours: async () => fill(),
    reference: async () => sheet.fill(),
  });
  let round = 0;
  const row = entry.rows('lines')[500];
  await compare({
    name: 'grid-one-row',
    sizes: 'one of 1,000 rows changed, with its 6 formulas and 2 totals',
    runs: 100,
    ours: async () => entry.set('copies', `${(++round % 9) + 1}.00`, null, row),
    reference: async () => sheet.change(500, `${(++round % 9) + 1}.00`),
  });
}

function gridPlan(): Plan {
  const lines = [
    number('copies'),
    number('price'),
    number('gross', { computes: 'copies * price' }),
    number('discount', { computes: 'if copies > 5 then gross * 0.1 else 0' }),
    number('net', { computes: 'gross - discount' }),
    number('tax', { computes: 'round half up(net * 0.2, 2)' }),
    number('due', { computes: 'net + tax' }),
    number('weekly', { computes: 'due / parent.weeks' }),
  ];
  const root = [
    number('weeks'),
    number('total', { computes: 'sum(lines.due)' }),
    number('largest', { computes: 'max(lines.due)' }),
  ];
  const made = plan(root);
  const section = { key: 'lines', title: 'Lines', columns: 1 as const, fields: lines };
  return {
    ...made,
    sections: [
      ...made.sections,
      {
        ...section,
        grid: plainGrid('line', 'sheet'),
        page: null,
      },
    ],
  };
}

/** The same sheet by hand: results rounded to two places, as the fields hold them. */
function handSheet(given: readonly { copies: string; price: string }[]) {
  const due: D[] = [];
  const [five, tenth, tax, weeks] = [5, '0.1', '0.2', 4].map((n) => new Decimal(n)) as [D, D, D, D];
  const two = (n: D) => n.toDecimalPlaces(2, Decimal.ROUND_HALF_UP);
  const row = (copies: D, price: D): D => {
    const gross = two(copies.times(price));
    const discount = copies.greaterThan(five) ? two(gross.times(tenth)) : new Decimal(0);
    const net = two(gross.minus(discount));
    const owed = two(net.plus(two(net.times(tax))));
    two(owed.dividedBy(weeks));
    return owed;
  };
  const totals = () => {
    Decimal.max(...due);
    return due.reduce((a, b) => a.plus(b));
  };
  return {
    fill: () => {
      given.forEach(
        ({ copies, price }, i) => (due[i] = row(new Decimal(copies), new Decimal(price))),
      );
      return totals();
    },
    change: (i: number, copies: string) => {
      due[i] = row(new Decimal(copies), new Decimal(given[i]?.price ?? 0));
      return totals();
    },
  };
}

const tables: House = houseOf(
  ['sheet', 'line'].map((key) => [key, { key, title: key, columns: [], display: [], indexes: [] }]),
);

function number(key: string, more: Partial<Field> = {}): Field {
  return { ...plainField(key), key, holds: money, ...more };
}

function plan(fields: Field[]): Plan {
  const section = { key: 'main', title: '', columns: 1 as const, fields, grid: null, page: null };
  return {
    format: 1,
    title: 'Sheet',
    table: 'sheet',
    sections: [section],
    startsAt: null,
    writes: [],
  };
}
