import { houseOf } from '../src/core/table/sources';
import { Entry } from '../src/core/entry/entry';
import { plainField, plainGrid } from '../src/core/plan/draft';
import type { Field, Plan, Section } from '../src/core/plan/schema';
import type { House, Column } from '../src/core/table/definition';
import { type OpenedRecord } from '../src/core/entry/stored';
import { openedBeginning } from '../src/core/entry/beginning';
import { examine } from '../src/core/wiring/examine';
import { wireForm } from '../src/core/wiring/form';
import { compare } from './measure';

const money = { kind: 'decimal', precision: 20, scale: 2 } as const;

/**
 * How the work grows with what there is: ours on much of it, against ours on as much in ten parts, all of them
 * kept, in the same run. Linear growth has the ratio 1; what is kept at once is the same, and so is what the
 * collector has to move.
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

/** Does the same ten times and keeps all that it gives. */
function tenTimes(work: () => object): () => Promise<void> {
  return async () => {
    const kept = Array.from({ length: 10 }, work);
    if (kept.length !== 10) throw new Error('not all of it was done');
  };
}

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
  await compare({
    name: 'check-over-all-rows',
    sizes: '10,000 rows that each look at all, against ten times 1,000 (linear 1, aim 1.2)',
    runs: 7,
    ours: async () => void filled(form, 10_000),
    reference: tenTimes(() => filled(form, 1000)),
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
  const open = (opened: OpenedRecord) => new Entry(form, openedBeginning(opened));
  await compare({
    name: 'open-10000-rows',
    sizes: '10,000 stored rows against ten times 1,000 (linear 1)',
    runs: 9,
    ours: async () => void open(many),
    reference: tenTimes(() => open(few)),
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
  await compare({
    name: 'examine-chain',
    sizes: 'a chain of 2,000 fields against ten of 200 (linear 1)',
    runs: 7,
    ours: async () => void examine(many, tables),
    reference: tenTimes(() => examine(few, tables)),
  });
}
