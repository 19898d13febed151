import { describe, expect, it } from 'vitest';
import { field, lookupOf, planOf } from '../../../tests/support/definitions';
import {
  openedSale,
  play,
  rest,
  saleTables,
  saleWorld,
  takeStep,
  type Step,
} from '../../../tests/support/histories';
import { readerOf } from '../../../tests/support/world';
import { plainGrid } from '../plan/draft';
import type { Field, Plan, Section } from '../plan/schema';
import type { Value } from '../values/types';
import { wireForm } from '../wiring/form';
import { newBeginning, type Beginning, openedBeginning } from './beginning';
import { Entry } from './entry';
import { settle } from './settle';
import { writePlan } from './write-plan';

const item = (more: Partial<Field> = {}) =>
  field('item', { savesTo: 'item', choices: lookupOf('item'), ...more });
const saved = (key: string, more: Partial<Field> = {}) => field(key, { savesTo: key, ...more });
const grid = (key: string, more: Partial<Section['grid']>, fields: Field[]): Section => ({
  key,
  title: key,
  columns: 1,
  page: null,
  grid: {
    ...plainGrid(key === 'subs' ? 'sub' : 'line', key === 'subs' ? 'line' : 'sale'),
    ...more,
  },
  fields,
});
const withGrids = (plan: Plan, ...grids: Section[]): Plan => ({
  ...plan,
  sections: [...plan.sections, ...grids],
});
const set = (name: string, value: Value): Step => ({ do: 'set', field: name, value, at: 0 });

interface Told {
  form: { values: Record<string, Value> };
  rows: Record<string, unknown[]>;
  problems: string[];
  writes: ReturnType<typeof writePlan>;
}

/** Plays a history, sees that screen, draft and server agree, and gives what they came to. */
async function all(
  plan: Plan,
  sale: Record<string, Value> | null,
  steps: Step[],
  lines: Parameters<typeof openedSale>[1]['lines'] = [],
): Promise<Told> {
  const end = await play(plan, sale ? 'opened' : 'new', { sale: sale ?? {}, lines }, steps);
  expect(end?.draft).toEqual(end?.screen);
  expect(end?.server).toEqual(end?.screen);
  expect(end?.refused).toEqual([]);
  return end?.screen as Told;
}

function open(plan: Plan, sale: Record<string, Value> | null, more: Partial<Beginning> = {}) {
  const form = wireForm(plan, saleTables);
  const opened = sale && openedSale(form, { sale, lines: [] });
  return new Entry(form, { ...(opened ? openedBeginning(opened) : { mode: 'new' }), ...more });
}

describe('one truth on screen, in drafts and on the server', () => {
  it('what is typed where nothing is shown any more by a chain of conditions is gone everywhere', async () => {
    const bySpecial = {
      path: 'special',
      operator: 'equal',
      field: 'flag',
      whileEmpty: 'everything',
    } as const;
    const counted = { table: 'item', aggregate: 'count', path: null } as const;
    const plan = planOf('sale', [
      saved('flag'),
      item({ choices: lookupOf('item', { narrowings: [bySpecial] }) }),
      saved('stock', {
        rollup: { ...counted, conditions: [], less: [], narrowings: [] },
        shownWhen: 'item.special',
        whileHidden: 'keep',
      }),
      saved('extra', { choices: lookupOf('item'), shownWhen: 'stock > 1' }),
    ]);
    const steps: Step[] = [
      set('item', 1),
      { do: 'answer', many: 1, reversed: false, follows: true },
      set('flag', false),
      set('extra', 1),
    ];
    const { form } = await all(plan, { item: null, extra: null, stock: null, flag: null }, steps);
    expect(form.values).toMatchObject({ item: null, extra: null, stock: null });
  });

  it('a stored result stands while nothing is changed that it follows from', async () => {
    const plan = planOf('sale', [
      item(),
      saved('qty'),
      saved('total', { computes: 'item.price * qty' }),
    ]);
    const stale = { item: 1, qty: 2, total: '15.00' };
    const { form, writes } = await all(plan, stale, [set('qty', 3), set('qty', 2)]);
    expect(form.values.total).toBe('15.00');
    expect(writes).toEqual([]);
    const changed = await all(plan, stale, [set('qty', 3)]);
    expect(changed.form.values.total).toBe('30.00');
  });

  it('what is hidden in a record stays there, and what hangs on it is asked once', async () => {
    const plan = planOf('sale', [
      saved('flag'),
      item({
        shownWhen: 'flag',
        brings: [{ path: 'price', by: null, into: 'total', keeps: 'live', editable: false }],
      }),
      field('total', { holds: { kind: 'decimal', precision: 10, scale: 2 } }),
      field('stock', {
        holds: { kind: 'whole' },
        rollup: {
          table: 'item',
          aggregate: 'count',
          path: null,
          conditions: [],
          less: [],
          narrowings: [{ path: 'id', operator: 'equal', field: 'item', whileEmpty: 'nothing' }],
        },
      }),
    ]);
    const entry = open(plan, { item: 1, flag: false });
    expect(await rest(entry)).toBe(1);
    expect(entry.values()).toMatchObject({ item: 1, total: '10.00', stock: 1 });
    const { writes } = await all(plan, { item: 1, flag: false }, []);
    expect(writes).toEqual([]);
  });

  it('a save writes what the screen said it would', async () => {
    const plan = planOf('sale', [
      item(),
      saved('note', { shownWhen: 'item.special' }),
      saved('qty'),
    ]);
    const { writes } = await all(plan, { item: 2, note: 'old words', qty: null }, [
      set('item', null),
    ]);
    expect(writes[0]?.values).toEqual({ item: null, note: null });
  });

  it('the only choice is not taken by a field that is not shown, and is when it appears', async () => {
    const only = lookupOf('item', {
      takeOnly: true,
      conditions: [{ path: 'special', operator: 'equal', values: [true] }],
    });
    const plan = planOf('sale', [
      saved('flag'),
      saved('extra', { choices: only, shownWhen: 'flag = true' }),
    ]);
    expect((await all(plan, null, [])).form.values.extra).toBeNull();
    expect((await all(plan, null, [set('flag', true)])).form.values.extra).toBe(1);
  });

  it('a person’s own value of a conditional field comes back from a draft', async () => {
    const plan = planOf('sale', [
      item(),
      saved('total', { initially: 'item.price', shownWhen: 'item.special' }),
    ]);
    const entry = open(plan, null);
    await takeStep(entry, set('item', 1));
    await rest(entry);
    await takeStep(entry, set('total', '7.00'));
    const again = new Entry(entry.form, { ...newBeginning(entry.state()), takesOnly: true });
    await rest(again);
    expect([again.value('total'), again.own()]).toEqual(['7.00', ['item', 'total']]);
  });

  it('what hangs on the link’s address can be saved: the link travels along', async () => {
    const plan = planOf('sale', [saved('note', { computes: 'link.code' })]);
    expect((await all(plan, null, [])).form.values.note).toBe('abc');
  });

  it('a stored aggregate is asked for again when its field appears, and holds until then', async () => {
    const rollup = {
      table: 'item',
      aggregate: 'count',
      path: null,
      conditions: [],
      less: [],
      narrowings: [],
    };
    const stock = saved('stock', {
      rollup: rollup as Field['rollup'],
      shownWhen: 'flag',
      whileHidden: 'keep',
    });
    const entry = open(planOf('sale', [saved('flag'), stock]), { flag: false, stock: 2 });
    await rest(entry);
    entry.set('flag', true);
    expect(entry.value('stock')).toBe(2);
    expect(entry.asks().map(({ kind }) => kind)).toEqual(['value']);
    await rest(entry);
    expect(entry.value('stock')).toBe(3);
  });

  it('what is typed while the chosen record is being read stays', async () => {
    const plan = planOf('sale', [
      item({ brings: [{ path: 'price', by: null, into: 'total', keeps: 'kept', editable: true }] }),
      saved('total'),
    ]);
    const entry = open(plan, null);
    entry.set('item', 1, { value: 1, shown: ['A'] });
    entry.set('total', '7.00');
    await rest(entry);
    expect(entry.value('total')).toBe('7.00');
  });
});

describe('a grid under a condition', () => {
  const shownFor = (condition: string, ...more: Field[]) =>
    withGrids(
      planOf('sale', [
        item(),
        ...more,
        saved('total', {
          computes: 'sum(lines.fee)',
          checks: [{ holds: 'total <= 50', message: 'Too much.' }],
        }),
      ]),
      grid('lines', { shownWhen: condition }, [saved('fee')]),
    );
  const twoLines: Step[] = [
    set('item', 1),
    { do: 'answer', many: 4, reversed: false, follows: true },
    { do: 'add', grid: 'lines', at: 0 },
    set('lines.fee', '30.00'),
    { do: 'add', grid: 'lines', at: 0 },
    { do: 'set', field: 'lines.fee', value: '30.00', at: 1 },
  ];

  it('is there by a column of a chosen record that nothing else reads', async () => {
    const { form, rows, problems } = await all(shownFor('item.special'), null, twoLines);
    expect(rows.lines).toHaveLength(2);
    expect(form.values.total).toBe('60.00');
    expect(problems).toEqual(['total check_failed']);
  });

  it('is an empty list for all that reads it while it is away', async () => {
    const { form, rows, problems, writes } = await all(shownFor('item.special'), null, [
      ...twoLines,
      set('item', 2),
    ]);
    expect([rows.lines, form.values.total, problems]).toEqual([[], null, []]);
    expect(writes.map(({ table }) => table)).toEqual(['sale']);
  });

  it('takes no stored row away that nobody has changed anything for', async () => {
    const unsaved = field('with_lines', { holds: { kind: 'yes_no' } });
    const plan = shownFor('with_lines = true', unsaved);
    const line = [{ item: null, fee: '5.00', subs: [] }];
    expect((await all(plan, { total: '5.00' }, [], line)).writes).toEqual([]);
    const steps = [set('with_lines', true), set('with_lines', false)];
    const { writes } = await all(plan, { total: '5.00' }, steps, line);
    expect(writes.map(({ action }) => action)).toEqual(['update', 'delete']);
  });

  it('comes back with what follows in rows of rows', async () => {
    const plan = withGrids(
      planOf('sale', [saved('flag'), saved('total', { computes: 'sum(lines.fee)' })]),
      grid('lines', { shownWhen: 'flag' }, [saved('fee', { computes: 'sum(subs.amt)' })]),
      grid('subs', { within: 'lines' }, [saved('amt')]),
    );
    const form = wireForm(plan, saleTables);
    const draft = new Entry(form, {
      mode: 'resumed',
      values: { flag: false },
      rows: {
        lines: [{ key: 'a', values: {} }],
        subs: [{ key: 'b', of: 'a', values: { amt: '4.00' } }],
      },
    });
    draft.set('flag', true);
    const [line] = draft.rows('lines');
    expect([draft.value('total'), draft.value('fee', line)]).toEqual(['4.00', '4.00']);
  });

  it('a cascade longer than the form has fields comes to its end', async () => {
    const keys = ['a', 'b', 'c', 'd', 'e', 'f'];
    const plan = withGrids(
      planOf('sale', [saved('note')]),
      grid(
        'lines',
        {},
        keys.map((key, i) =>
          field(key, {
            choices: lookupOf('item', {
              takeOnly: true,
              conditions: [{ path: 'name', operator: 'equal', values: ['A'] }],
              narrowings:
                i === 0
                  ? []
                  : [
                      {
                        path: 'id',
                        operator: 'equal',
                        field: keys[i - 1] ?? '',
                        whileEmpty: 'nothing',
                      },
                    ],
            }),
          }),
        ),
      ),
    );
    const entry = open(plan, null);
    const row = entry.addRow('lines');
    await settle(entry, readerOf(saleWorld, entry.form));
    expect(keys.map((key) => entry.value(key, row))).toEqual([1, 1, 1, 1, 1, 1]);
  });
});

describe('R5 what many rows read of the form around them', () => {
  const plan = (fee: Partial<Field>) =>
    withGrids(
      planOf('sale', [saved('total', { computes: 'sum(lines.fee)' })]),
      grid('lines', {}, [
        saved('fee', fee),
        field('share', {
          holds: { kind: 'decimal', precision: 10, scale: 2 },
          computes: 'fee / sum(parent.lines.fee) * count(parent.lines)',
        }),
      ]),
    );

  it('is worked out once for all of them, and is what each would work out', () => {
    const check = 'count(parent.lines[fee > 3]) < 2';
    const entry = open(plan({ checks: [{ holds: check, message: 'Too many.' }] }), null);
    const fees = ['1.00', '4.00', '5.00'];
    for (const fee of fees) entry.addRow('lines', { values: { fee } });
    const shares = () => entry.rows('lines').map((row) => entry.value('share', row));
    expect(shares()).toEqual(['0.30', '1.20', '1.50']);
    expect(entry.problems()).toHaveLength(3);
    const [first, second] = entry.rows('lines');
    entry.set('fee', '2.00', null, second);
    expect(shares()).toEqual(['0.38', '0.75', '1.88']);
    expect(entry.problems()).toEqual([]);
    if (first) entry.removeRow(first);
    expect(shares()).toEqual(['0.57', '1.43']);
  });

  it('ten thousand rows that each look at all do not use up what a change may cost', () => {
    const entry = open(
      plan({ checks: [{ holds: 'sum(parent.lines.fee) > 0', message: 'None.' }] }),
      null,
    );
    entry.batch(() => {
      for (let i = 0; i < 10_000; i++) entry.addRow('lines', { values: { fee: '1.00' } });
    });
    expect(entry.problems()).toEqual([]);
    expect(entry.value('total')).toBe('10000.00');
  });

  it('what each must work out anew ends, and is a problem at its field', () => {
    const all = 'count(for l in parent.lines return if l.fee = fee then 1 else 0) > 0';
    const entry = open(plan({ checks: [{ holds: all, message: 'None.' }] }), null);
    entry.batch(() => {
      for (let i = 0; i < 4_000; i++) entry.addRow('lines', { values: { fee: '1.00' } });
    });
    expect(entry.problems().length).toBeGreaterThan(0);
  });
});
