import { houseOf } from '../../src/core/table/sources';
import fc from 'fast-check';
import { newBeginning, type Beginning, openedBeginning } from '../../src/core/entry/beginning';
import { Entry, type Row } from '../../src/core/entry/entry';
import { settle, type Reader } from '../../src/core/entry/settle';
import { recomputed } from '../../src/core/entry/recomputed';
import type { EntryState } from '../../src/core/entry/state';
import type { Filled } from '../../src/core/entry/filled';
import { rowKey, type OpenedRecord } from '../../src/core/entry/stored';
import { writePlan } from '../../src/core/entry/write-plan';
import { plainGrid } from '../../src/core/plan/draft';
import type { Bring, Field, Plan, Section } from '../../src/core/plan/schema';
import type { House } from '../../src/core/table/definition';
import type { Value, ValueType } from '../../src/core/values/types';
import { wireForm, type WiredForm } from '../../src/core/wiring/form';
import { column, field, lookupOf, planOf, reference, table } from './definitions';
import { readerOf, type World } from './world';

const money: ValueType = { kind: 'decimal', precision: 10, scale: 2 };
const whole: ValueType = { kind: 'whole' };
const yesNo: ValueType = { kind: 'yes_no' };
const holds = (key: string, type: ValueType) => column(key, { type });

/** Items, and sales of them with lines, and lines in those. */
export const saleTables: House = houseOf(
  [
    table('item', [column('name'), holds('price', money), holds('special', yesNo)]),
    table('sale', [
      reference('item'),
      reference('item', 'extra'),
      column('note'),
      holds('qty', whole),
      holds('total', money),
      holds('stock', whole),
      holds('flag', yesNo),
    ]),
    table('line', [
      reference('sale', 'sale', { required: true }),
      reference('item'),
      holds('fee', money),
    ]),
    table('sub', [reference('line', 'line', { required: true }), holds('amt', money)]),
  ].map((t) => [t.key, t] as const),
);

export const saleWorld: World = {
  item: [
    { id: 1, name: 'A', price: '10.00', special: true },
    { id: 2, name: 'B', price: '20.00', special: false },
    { id: 3, name: 'C', price: null, special: false },
  ],
  sale: [],
  line: [],
  sub: [],
};

const around = {
  clock: { today: () => '2027-03-01', now: () => '2027-03-01T09:00:00Z' },
  person: { name: 'Brida Quist' },
};

type Narrowing = Parameters<typeof lookupOf>[1];
const bySpecial = (from: string, whileEmpty: 'nothing' | 'everything') =>
  ({ path: 'special', operator: 'equal', field: from, whileEmpty }) as const;

/** A part of a form that is there in one of several ways. */
const one = <T>(...ways: T[]): fc.Arbitrary<T> => fc.constantFrom(...ways);

const shown = (...conditions: string[]) =>
  fc.record({
    shownWhen: one<string | null>(null, null, ...conditions),
    whileHidden: one<'clear' | 'keep'>('clear', 'keep'),
    lockedWhen: one<string | null>(null, null, null, ...conditions),
  });

const bring = (path: string, into: string) =>
  one<Bring[]>(
    [],
    [{ path, by: null, into, keeps: 'live', editable: false }],
    [{ path, by: null, into, keeps: 'kept', editable: true }],
    [{ path, by: null, into, keeps: 'live', editable: true }],
  );

const lookup = (narrowings: NonNullable<Narrowing>['narrowings'][]) =>
  fc.record({
    narrowings: one(...narrowings),
    takeOnly: fc.boolean(),
  });

const fields: fc.Arbitrary<Field[]> = fc
  .record({
    flag: fc.record({ savesTo: one('flag', null) }),
    item: fc.tuple(
      lookup([[], [bySpecial('flag', 'nothing')], [bySpecial('flag', 'everything')]]),
      shown('flag', 'flag = false'),
      bring('price', 'total'),
      one<string | null>('item', null),
    ),
    extra: fc.tuple(
      lookup([[], [bySpecial('flag', 'nothing')], [bySpecial('special', 'everything')]]),
      shown('flag = true', 'item.special', 'stock > 1'),
    ),
    special: one(true, false),
    qty: fc.tuple(one<Value>(null, 2), shown('flag', 'item.special')),
    total: fc.tuple(
      one<Partial<Field>>(
        { computes: 'item.price * qty' },
        { computes: 'sum(lines.fee)' },
        { computes: 'if flag then item.price else qty' },
        { initially: 'item.price' },
        { initially: 'extra.price' },
        {},
      ),
      shown('item.special', 'flag', 'extra.special'),
      one(true, false),
    ),
    stock: fc.tuple(
      one<string | null>('stock', null),
      one([], [bySpecial('flag', 'everything')], [bySpecial('special', 'nothing')]),
      shown('flag', 'item.special'),
    ),
    note: fc.tuple(
      one<Partial<Field>>(
        {},
        { initial: 'as usual' },
        { computes: 'link.code' },
        { initially: 'item.name' },
      ),
      shown('item.special', 'total > 15', 'stock > 1', 'extra.special = false'),
    ),
    withLines: one(true, false),
  })
  .map(({ flag, item, extra, special, qty, total, stock, note, withLines }) => {
    const [itemLookup, itemShown, brings, itemTo] = item;
    const [begins, totalShown, limited] = total;
    const into = 'computes' in begins || 'initially' in begins ? [] : brings;
    const [stockTo, narrowings, stockShown] = stock;
    const specialBring: Bring[] = special
      ? [{ path: 'special', by: null, into: 'special', keeps: 'live', editable: false }]
      : [];
    return [
      field('flag', { holds: yesNo, ...flag }),
      field('item', {
        savesTo: itemTo,
        choices: lookupOf('item', itemLookup),
        brings: [...into, ...specialBring],
        ...itemShown,
      }),
      field('special', { holds: yesNo }),
      field('extra', { savesTo: 'extra', choices: lookupOf('item', extra[0]), ...extra[1] }),
      field('qty', { savesTo: 'qty', initial: qty[0], ...qty[1] }),
      field('total', {
        savesTo: 'total',
        ...begins,
        ...totalShown,
        checks: limited ? [{ holds: 'total <= 50', message: 'Too much: {total}.' }] : [],
      }),
      field('stock', {
        savesTo: stockTo,
        holds: stockTo === null ? whole : null,
        rollup: {
          table: 'item',
          aggregate: 'count',
          path: null,
          conditions: [],
          less: [],
          narrowings,
        },
        ...stockShown,
      }),
      field('note', { savesTo: 'note', ...note[0], ...note[1] }),
      ...(withLines ? [field('with_lines', { holds: yesNo })] : []),
    ];
  });

const grids: fc.Arbitrary<Section[]> = fc
  .record({
    there: fc.boolean(),
    linesWhen: one<string | null>(null, 'flag', 'item.special', 'with_lines = true', 'qty > 1'),
    subsWhen: one<string | null>(null, 'flag', 'extra.special'),
    fee: one<Partial<Field>>(
      {},
      { computes: 'item.price' },
      { computes: 'sum(subs.amt)' },
      { initially: 'parent.qty * 5' },
    ),
    item: lookup([[], [bySpecial('parent.flag', 'nothing')]]),
    feeShown: shown('item.special', 'parent.flag'),
    amt: one<Partial<Field>>({}, { initial: '3.00' }, { computes: 'parent.parent.qty + 1' }),
  })
  .map(({ there, linesWhen, subsWhen, fee, item, feeShown, amt }) => {
    if (!there) return [];
    const section = (key: string, grid: Section['grid'], list: Field[]): Section => ({
      key,
      title: key,
      columns: 1,
      page: null,
      grid,
      fields: list,
    });
    return [
      section('lines', { ...plainGrid('line', 'sale'), shownWhen: linesWhen }, [
        field('item', { savesTo: 'item', choices: lookupOf('item', item) }),
        field('fee', { savesTo: 'fee', ...fee, ...feeShown }),
        field('all', { holds: money, computes: 'sum(parent.lines.fee)' }),
      ]),
      section('subs', { ...plainGrid('sub', 'line'), within: 'lines', shownWhen: subsWhen }, [
        field('amt', { savesTo: 'amt', ...amt }),
      ]),
    ];
  });

/** Plans over sales with conditions, cascades, brings, rollups, and grids in grids, in any combination. */
export const somePlan: fc.Arbitrary<Plan> = fc.tuple(fields, grids).map(([list, sections]) => {
  const plan = planOf('sale', list);
  const whole = { ...plan, sections: [...plan.sections, ...sections] };
  return Object.defineProperty(whole, fc.toStringMethod, { value: () => inWords(whole) });
});

/** A plan in a few lines: of each field what is other than usual. */
function inWords({ sections }: Plan): string {
  const usual: Record<string, unknown> = field('usual');
  const lines = sections.flatMap(({ key, grid, fields: list }) => [
    `${key} ${grid?.shownWhen ?? ''}`,
    ...list.map((each) => {
      const other = Object.entries(each).filter(
        ([name, value]) =>
          JSON.stringify(value) !== JSON.stringify(usual[name]) && name !== 'label',
      );
      return `  ${JSON.stringify(Object.fromEntries(other))}`;
    }),
  ]);
  return `\n${lines.join('\n')}\n`;
}

/** A record of a sale with lines, as it was stored once under whatever rules. */
export const someRecord: fc.Arbitrary<{
  sale: Record<string, Value>;
  lines: { item: Value; fee: Value; subs: Value[] }[];
}> = fc.record({
  sale: fc.record({
    item: one<Value>(null, 1, 2, 3),
    extra: one<Value>(null, 1, 2),
    note: one<Value>(null, 'old words'),
    qty: one<Value>(null, 1, 2),
    total: one<Value>(null, '15.00', '60.00'),
    stock: one<Value>(null, 1, 2),
    flag: one<Value>(null, true, false),
  }),
  lines: fc.array(
    fc.record({
      item: one<Value>(null, 1, 2),
      fee: one<Value>(null, '5.00', '30.00'),
      subs: fc.array(one<Value>(null, '4.00'), { maxLength: 2 }),
    }),
    { maxLength: 2 },
  ),
});

/** The record as a form opens it. */
export function openedSale(
  form: WiredForm,
  {
    sale,
    lines,
  }: {
    sale: Record<string, Value>;
    lines: readonly { item: Value; fee: Value; subs: readonly Value[] }[];
  },
): OpenedRecord {
  const held = (scope: string, values: Record<string, Value>) =>
    Object.fromEntries(
      (form.scopes.get(scope)?.list ?? []).map(({ field: { key, savesTo } }) => [
        key,
        savesTo === null ? null : (values[savesTo] ?? null),
      ]),
    );
  const opened: OpenedRecord = {
    stored: { id: 7, version: 1, values: { id: 7, ...sale } },
    values: held('', sale),
    rows: {},
  };
  if (!form.scopes.has('lines')) return opened;
  const [lineRows, subRows]: OpenedRecord['rows'][string][] = [[], []];
  lines.forEach(({ subs, ...values }, i) => {
    const stored = { id: 70 + i, version: 1, values: { id: 70 + i, sale: 7, ...values } };
    lineRows?.push({ stored, values: held('lines', values) });
    subs.forEach((amt, j) => {
      const id = 700 + 10 * i + j;
      const inner = { id, version: 1, values: { id, line: stored.id, amt } };
      subRows?.push({ stored: inner, values: held('subs', { amt }), of: rowKey(stored) });
    });
  });
  return { ...opened, rows: { lines: lineRows ?? [], subs: subRows ?? [] } };
}

/** One thing that happens to an entry on a screen. */
export type Step =
  | { do: 'set'; field: string; value: Value; at: number }
  | { do: 'type'; field: string; text: string; at: number }
  | { do: 'add' | 'remove'; grid: 'lines' | 'subs'; at: number }
  | { do: 'answer'; many: number; reversed: boolean; follows: boolean };

type RowStep = Extract<Step, { grid: string }>;

const settable: Record<string, Value[]> = {
  flag: [null, true, false],
  item: [null, 1, 2, 3],
  extra: [null, 1, 2],
  qty: [null, 1, 2, 3],
  total: [null, '7.00', '60.00'],
  note: [null, 'typed'],
  with_lines: [null, true, false],
  'lines.item': [null, 1, 2],
  'lines.fee': [null, '8.00', '30.00'],
  'subs.amt': [null, '4.00', '9.00'],
};

const setting = fc.constantFrom(...Object.keys(settable)).chain((name) =>
  fc.record({
    do: fc.constant('set' as const),
    field: fc.constant(name),
    value: fc.constantFrom(...(settable[name] ?? [])),
    at: fc.nat(3),
  }),
);

export const someSteps: fc.Arbitrary<Step[]> = fc.array(
  fc.oneof(
    { arbitrary: setting, weight: 6 },
    {
      arbitrary: fc.record({
        do: fc.constant('type' as const),
        field: fc.constantFrom('qty', 'total', 'lines.fee'),
        text: fc.constantFrom('about 9', '9', ''),
        at: fc.nat(3),
      }),
      weight: 1,
    },
    {
      arbitrary: fc.record({
        do: fc.constantFrom('add' as const, 'add' as const, 'remove' as const),
        grid: fc.constantFrom('lines' as const, 'subs' as const),
        at: fc.nat(3),
      }),
      weight: 2,
    },
    {
      arbitrary: fc.record({
        do: fc.constant('answer' as const),
        many: fc.integer({ min: 1, max: 4 }),
        reversed: fc.boolean(),
        follows: fc.boolean(),
      }),
      weight: 4,
    },
  ),
  { maxLength: 14 },
);

/** Has a step happen on a screen, if it can. */
export async function takeStep(entry: Entry, step: Step): Promise<void> {
  if (step.do === 'answer') return answerSome(entry, step);
  if ('grid' in step) return changeRows(entry, step);
  const [first = '', second] = step.field.split('.');
  const [grid, key] = second === undefined ? ['', first] : [first, second];
  if (!entry.form.scopes.get(grid)?.fields.has(key)) return;
  const rows = grid === '' ? [] : entry.rows(grid);
  const row = rows[step.at % Math.max(rows.length, 1)];
  if (grid !== '' && !row) return;
  if (step.do === 'set') entry.set(key, step.value, null, row);
  else entry.type(key, step.text, undefined, row);
}

function changeRows(entry: Entry, { do: what, grid, at }: RowStep): void {
  if (!entry.form.scopes.has(grid)) return;
  const rows = entry.rows(grid);
  const row = rows[at % Math.max(rows.length, 1)];
  if (what === 'remove') {
    if (row) entry.removeRow(row);
    return;
  }
  const around: Row | undefined = grid === 'lines' ? undefined : entry.rows('lines')[0];
  if (grid === 'lines' || around) entry.addRow(grid, { values: {} }, undefined, around);
}

/** Some asks go out and come back, with or without what follows from them, in some order. */
async function answerSome(
  entry: Entry,
  { many, reversed, follows }: Extract<Step, { do: 'answer' }>,
): Promise<void> {
  const asks = entry.asks().slice(0, many);
  const answers = await readerOf(saleWorld, entry.form)(asks);
  const further = follows ? await followed(entry, asks, answers) : [];
  const all = [...answers, ...further];
  entry.answer(reversed ? all.reverse() : all);
}

/** What follows from answers, as the server sees it from the state that the screen sends. */
async function followed(
  entry: Entry,
  asks: ReturnType<Entry['asks']>,
  answers: Awaited<ReturnType<Reader>>,
) {
  const state = entry.stateFor(asks);
  if (!state) return [];
  const sent = JSON.parse(JSON.stringify(state)) as EntryState;
  const resumed = Entry.resume(entry.form, sent, asks, around);
  resumed.answer(answers);
  return settle(resumed, readerOf(saleWorld, entry.form));
}

/** Lets a screen ask and be answered as a session does, until it asks no more. Gives the number of requests. */
export async function rest(entry: Entry): Promise<number> {
  const bound = entry.form.graph.nodes.length * (1 + entry.rows('lines').length);
  for (let requests = 0; requests <= bound; requests++) {
    const asks = entry.asks();
    if (asks.length === 0) return requests;
    const answers = await readerOf(saleWorld, entry.form)(asks);
    entry.answer([...answers, ...(await followed(entry, asks, answers))]);
  }
  throw new Error(`asks without end: ${JSON.stringify(entry.asks())}`);
}

/** How a history begins: with nothing, or with a stored record. */
export type Start = 'new' | 'opened';

/** Plays a history and compares what screen, draft and server come to. Gives all three, made comparable. */
export async function play(
  plan: Plan,
  start: Start,
  record: Parameters<typeof openedSale>[1],
  steps: readonly Step[],
): Promise<{ screen: object; draft: object; server: object; refused: readonly object[] } | null> {
  const form = wireForm(plan, saleTables);
  if (form.cycle) return null;
  const opened = start === 'opened' ? openedSale(form, record) : null;
  const link = { code: 'abc' };
  const begin = (more: Partial<Beginning> = {}): Beginning => ({
    ...(opened ? openedBeginning(opened) : { mode: 'new' as const }),
    ...more,
    around: { ...around, link },
  });
  const screen = new Entry(form, begin());
  for (const step of steps) await takeStep(screen, step);

  // A draft is kept in the middle of it all.
  const kept = JSON.parse(JSON.stringify(screen.state())) as EntryState;
  const draft = new Entry(
    form,
    opened
      ? begin({ filled: kept })
      : { ...newBeginning(kept), takesOnly: true, ...{ around: { ...around, link } } },
  );
  await rest(screen);
  await rest(draft);

  const sent = JSON.parse(JSON.stringify(screen.state())) as EntryState;
  const filled: Filled = submitted(sent);
  const server = new Entry(
    form,
    opened
      ? begin({ filled })
      : { ...newBeginning(filled), around: { ...around, link: sent.link } },
  );
  await settle(server, readerOf(saleWorld, form));
  return {
    screen: seen(screen),
    draft: seen(draft),
    server: seen(server),
    refused: recomputed(server, filled),
  };
}

/** What of a state a save carries. */
function submitted({ values, own, texts, rows }: EntryState): Filled {
  const lists = Object.entries(rows).map(([grid, list]) => [
    grid,
    list.map(({ key, id, of, values: held, own: set, texts: typed }) => ({
      ...(id === undefined ? { key } : { id }),
      of,
      values: held,
      own: set,
      texts: typed,
    })),
  ]);
  return { values, own, texts, rows: Object.fromEntries(lists) };
}

/** All that people see of an entry, and what it would write. */
function seen(entry: Entry): object {
  const host = (row?: Row) => ({
    values: entry.values(row),
    ...Object.fromEntries(
      [...(row?.scope ?? entry.root.scope).fields.keys()].map((key) => {
        const { hidden, unsure, choices, notOffered, wired } = entry.cell(key, row);
        const { narrowedBy } = wired;
        // Whether a list was looked at that need not be is no matter.
        const read = 'offer' in choices ? choices.offer.found : choices.status;
        const found = entry.value(key, row) === null && narrowedBy.length === 0 ? null : read;
        return [`${key} is`, { hidden, unsure, found, notOffered }];
      }),
    ),
  });
  const grids = [...entry.form.scopes.keys()].filter((key) => key !== '');
  return {
    form: host(),
    rows: Object.fromEntries(grids.map((grid) => [grid, entry.rows(grid).map((row) => host(row))])),
    problems: entry.problems().map(({ path, code }) => `${path} ${code}`),
    writes: writePlan(entry),
  };
}
