import { houseOf } from '../src/core/table/sources';
import { Entry } from '../src/core/entry/entry';
import { plainField, plainGrid } from '../src/core/plan/draft';
import type { Field, Plan, Section } from '../src/core/plan/schema';
import type { House } from '../src/core/table/definition';
import type { Column } from '../src/core/table/definition';
import { openedBeginning, type OpenedRecord } from '../src/core/entry/stored';
import { examine } from '../src/core/wiring/examine';
import { wireForm } from '../src/core/wiring/form';
import { compare } from './measure';

const money = { kind: 'decimal', precision: 20, scale: 2 } as const;

/**
 * How the work grows with what there is: ours on much of it, against ours on little of it in the same run. The
 * ratio that linear growth would have is named with each.
 */
export async function growth(): Promise<void> {
  await searching();
  await rowChecks();
  await opening();
  await examining();
}

const column = (key: string, type: Column['type'] = money): Column => ({
  key,
  label: key,
  type,
  required: false,
  unique: false,
});
const tables: House = houseOf([
  [
    'score',
    { key: 'score', title: 'Score', columns: [column('name')], display: ['name'], indexes: [] },
  ],
  [
    'loan',
    { key: 'loan', title: 'Loan', columns: [column('total')], display: ['total'], indexes: [] },
  ],
  [
    'line',
    {
      key: 'line',
      title: 'Line',
      columns: [
        column('loan', { kind: 'reference', table: 'loan' }),
        column('score', { kind: 'reference', table: 'score' }),
        column('fee'),
      ],
      display: ['fee'],
      indexes: [],
    },
  ],
]);

const field = (key: string, more: Partial<Field> = {}): Field => ({
  ...plainField(key),
  key,
  label: key,
  ...more,
});

const section = (key: string, fields: Field[], grid: Section['grid'] = null): Section => ({
  key,
  title: key,
  columns: 1,
  fields,
  grid,
  page: null,
});

function linesPlan(checks: Field['checks'] = []): Plan {
  return {
    format: 1,
    title: 'Growth',
    table: 'loan',
    startsAt: null,
    writes: [],
    sections: [
      section('main', [field('total', { savesTo: 'total', computes: 'sum(lines.fee)' })]),
      section(
        'lines',
        [
          field('score', {
            savesTo: 'score',
            choices: {
              kind: 'table',
              table: 'score',
              shown: ['name'],
              stores: { kind: 'link' },
              order: [],
              distinct: false,
              conditions: [],
              narrowings: [],
              takeOnly: false,
              typedBy: null,
              adds: false,
            },
          }),
          field('fee', { savesTo: 'fee', checks }),
        ],
        plainGrid('line', 'loan'),
      ),
    ],
  };
}

const filled = (form: ReturnType<typeof wireForm>, rows: number) =>
  new Entry(form, {
    mode: 'resumed',
    values: {},
    rows: {
      lines: Array.from({ length: rows }, (_, i) => ({
        key: `r${i}`,
        values: { fee: `${i % 90}.00` },
      })),
    },
  });

/** One letter searched in one row: what the screen sends, and what the server makes of it before it reads. */
async function searching(): Promise<void> {
  const form = wireForm(linesPlan(), tables);
  const [many, few] = [filled(form, 5000), filled(form, 100)];
  const search = (entry: Entry) => {
    const row = entry.rows('lines')[50];
    const ask = { id: 'list', field: 'score', grid: 'lines', row: row?.key, search: 'a' };
    return JSON.stringify({ edition: 1, asks: [{ ...ask, given: entry.given('score', row) }] });
  };
  if (search(many).length !== search(few).length) throw new Error('more is sent for more rows');
  const times = (entry: Entry) => async () => {
    for (let i = 0; i < 2000; i++) JSON.parse(search(entry));
  };
  await compare({
    name: 'search-in-one-row',
    sizes: `${search(many).length} bytes each; 5,000 rows against 100 (aim 1.3)`,
    runs: 30,
    ours: times(many),
    reference: times(few),
  });
}

async function rowChecks(): Promise<void> {
  const check = [{ holds: 'sum(parent.lines.fee) > 0 and fee >= 0', message: 'Not so.' }];
  const form = wireForm(linesPlan(check), tables);
  const work = (rows: number) => async () => void filled(form, rows);
  await compare({
    name: 'check-over-all-rows',
    sizes: '10,000 rows that each look at all, against 1,000 (linear 10, aim 12)',
    runs: 7,
    ours: work(10_000),
    reference: work(1000),
  });
}

async function opening(): Promise<void> {
  const form = wireForm(linesPlan(), tables);
  const record = (rows: number): OpenedRecord => ({
    stored: { id: 1, version: 1, values: {} },
    values: { total: null },
    rows: {
      lines: Array.from({ length: rows }, (_, i) => {
        const values = { score: null, fee: `${i % 90}.00` };
        return { stored: { id: i + 1, version: 1, values }, values };
      }),
    },
  });
  const [many, few] = [record(10_000), record(1000)];
  const work = (opened: OpenedRecord) => async () => void new Entry(form, openedBeginning(opened));
  await compare({
    name: 'open-10000-rows',
    sizes: '10,000 stored rows against 1,000 (linear 10)',
    runs: 9,
    ours: work(many),
    reference: work(few),
  });
}

async function examining(): Promise<void> {
  const chain = (length: number): Plan => ({
    ...linesPlan(),
    sections: [
      section('a', [
        field('f0', { holds: money }),
        ...Array.from({ length: Math.min(length, 1000) - 1 }, (_, i) =>
          field(`f${i + 1}`, { holds: money, computes: `f${i} + 1` }),
        ),
      ]),
      section(
        'b',
        Array.from({ length: Math.max(0, length - 1000) }, (_, i) =>
          field(`f${i + 1000}`, { holds: money, computes: `f${i + 999} + 1` }),
        ),
      ),
    ],
  });
  const [many, few] = [chain(2000), chain(200)];
  const work = (plan: Plan) => async () => void examine(plan, tables);
  await compare({
    name: 'examine-chain',
    sizes: 'a chain of 2,000 fields against one of 200 (linear 10)',
    runs: 7,
    ours: work(many),
    reference: work(few),
  });
}
