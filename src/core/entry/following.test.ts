import { describe, expect, it } from 'vitest';
import { extra, field, lookupOf, planOf } from '../../../tests/support/definitions';
import {
  lendingPlan,
  lendingTables,
  lendingWorld,
  linesPlan,
} from '../../../tests/support/lending';
import { answerFrom, readerOf } from '../../../tests/support/world';
import { updateField } from '../plan/edit';
import type { Plan } from '../plan/schema';
import { wireForm } from '../wiring/form';
import { reachedFrom } from '../wiring/graph';
import { Entry } from './entry';
import type { Beginning } from './beginning';
import { settle } from './settle';
import { traceWords } from './words';
import { writePlan } from './write-plan';

const around = {
  clock: { today: () => '2027-03-01', now: () => '2027-03-01T09:00:00Z' },
  person: { name: 'clerk' },
  link: { code: 'S-1', copies: '3' },
};

function open(
  plan: Plan = lendingPlan(),
  beginning: Partial<Beginning> = {},
  world = lendingWorld(),
) {
  const form = wireForm(plan, lendingTables);
  const entry = new Entry(form, { mode: 'new', around, ...beginning });
  const rest = () => settle(entry, readerOf(world, form));
  return { entry, form, world, rest };
}

async function chosen(plan?: Plan) {
  const opened = open(plan);
  const { entry, rest } = opened;
  for (const [key, value] of [
    ['region', 1],
    ['town', 12],
    ['ensemble', 22],
    ['score', 31],
  ] as const) {
    entry.set(key, value);
    await rest();
  }
  return opened;
}

describe('D1 a chosen record brings other columns along', () => {
  it('into fields, through references, live and kept', async () => {
    const { entry } = await chosen();
    expect(entry.values()).toMatchObject({
      rate: '0.10',
      contact: 'Brann',
      email: 'b@example.org',
    });
    const { columns } = entry.cell('ensemble');
    expect(columns.values).toMatchObject({ 'town.region.name': 'Region 1' });
  });

  it('overwrites what a person changed only when another record is chosen', async () => {
    const { entry, rest, world } = await chosen();
    entry.set('contact', 'Someone else');
    entry.set('email', 'else@example.org');
    Object.assign(world.ensemble?.[1] ?? {}, {
      contact: 'New',
      email: 'n@example.org',
      rate: '0.20',
    });
    entry.refresh();
    await rest();
    expect(entry.values()).toMatchObject({
      rate: '0.20',
      contact: 'Someone else',
      email: 'else@example.org',
    });
    entry.set('ensemble', 23);
    await rest();
    expect(entry.values()).toMatchObject({ rate: null, contact: null, email: null });
  });

  it('keeps a kept value as it was when chosen, and a live one as it is now', async () => {
    const { entry, rest, world } = await chosen();
    Object.assign(world.ensemble?.[1] ?? {}, { contact: 'New', email: 'n@example.org' });
    entry.refresh();
    await rest();
    expect(entry.values()).toMatchObject({ contact: 'Brann', email: 'n@example.org' });
  });

  it('empties what was brought together with the record', async () => {
    const { entry, rest } = await chosen();
    entry.set('region', 2);
    await rest();
    expect(entry.values()).toMatchObject({ ensemble: null, contact: null, rate: null, fee: null });
  });

  it('does not let a person type over what is not editable', async () => {
    const { entry } = await chosen();
    entry.set('rate', '9.00');
    entry.type('fee', '1');
    expect(entry.values()).toMatchObject({ rate: '0.10', fee: '0.40' });
  });
});

describe('B8 a record and which of its columns to read', () => {
  const plan = planOf('loan', [
    field('ensemble', {
      savesTo: 'ensemble',
      choices: lookupOf('ensemble'),
      brings: [{ path: null, by: 'which', into: 'read', keeps: 'live', editable: false }],
    }),
    field('which', { choices: { kind: 'columns', of: 'ensemble', paths: ['contact', 'email'] } }),
    field('read'),
  ]);

  it('shows the value of the column that is picked, and follows both', async () => {
    const { entry, rest } = open(plan);
    entry.set('ensemble', 21);
    await rest();
    expect(entry.value('read')).toBeNull();
    entry.set('which', 'contact');
    expect(entry.value('read')).toBe('Odile');
    entry.set('which', 'email');
    expect(entry.value('read')).toBe('o@example.org');
    entry.set('which', 'password');
    expect(entry.problems().map((p) => `${p.path} ${p.code}`)).toEqual(['which not_offered']);
  });
});

describe('B9 a key is typed instead of choosing', () => {
  const plan = updateField(lendingPlan(), 'score', {
    savesTo: 'score',
    choices: lookupOf('score', { typedBy: 'code' }),
  });

  it('names the record; what hangs on it follows', async () => {
    const { entry, rest } = open(plan);
    entry.type('score', '0042');
    expect(entry.rejectedText('score')).toBe('0042');
    await rest();
    expect(entry.values()).toMatchObject({ score: 32, on_hand: 2 });
    expect(entry.rejectedText('score')).toBeNull();
  });

  it('is matched exactly, and an unknown one is said at once with the rest untouched', async () => {
    const { entry, rest } = open(plan);
    entry.set('weeks', 7);
    entry.type('score', '42');
    await rest();
    expect(entry.values()).toMatchObject({ score: null, weeks: 7 });
    expect(entry.problems().find((p) => p.path === 'score')).toMatchObject({
      code: 'unknown_match',
      message: 'No score has code “42”.',
    });
    entry.type('score', 'S-1');
    await rest();
    expect(entry.value('score')).toBe(31);
  });

  it('may come from the link by which the form was opened', async () => {
    const linked = updateField(plan, 'score', { initially: 'link.code' });
    const { entry, rest } = open(
      updateField(linked, 'copies', { initially: 'number(link.copies)', initial: null }),
    );
    await rest();
    expect(entry.values()).toMatchObject({ score: 31, copies: 3, on_hand: 20 });
  });
});

describe('D2, D3 formulas and rollups follow at once', () => {
  it('works out fees, dates and what is on hand', async () => {
    const { entry, rest } = await chosen();
    expect(entry.values()).toMatchObject({
      fee: '0.40',
      received: 24,
      lent: 4,
      on_hand: 20,
      lent_on: '2027-03-01',
      due_on: '2027-03-29',
    });
    entry.set('copies', 3);
    expect(entry.value('fee')).toBe('1.20');
    entry.set('score', 32, { value: 32, shown: ['Harbour'] });
    expect(entry.asks().map((ask) => `${ask.kind} ${ask.field}`)).toEqual([
      'value received',
      'value lent',
    ]);
    await rest();
    expect(entry.value('on_hand')).toBe(2);
  });

  it('refreshes rollups when the tables change', async () => {
    const { entry, rest, world } = await chosen();
    world.copy_movement?.push({ id: 9, score: 31, kind: 'lent', quantity: 15 });
    entry.refresh();
    await rest();
    expect(entry.value('on_hand')).toBe(5);
  });

  it('waits without a value while its narrowing field is empty', () => {
    const { entry } = open();
    expect(entry.values()).toMatchObject({ received: null, on_hand: null });
    expect(entry.cell('received').waitsFor).toBe('score');
  });

  it('holds the last known value and does not pass on what is not sure', async () => {
    const { entry } = await chosen();
    entry.set('score', 32);
    expect(entry.cell('received').unsure).toBe(true);
    expect(entry.value('on_hand')).toBe(20);
    expect(entry.cell('copies').refusals.size).toBe(0);
  });
});

describe('D4 defaults', () => {
  it('follow their formula until a person sets another value', async () => {
    const { entry } = open();
    entry.set('weeks', 2);
    expect(entry.value('due_on')).toBe('2027-03-15');
    entry.set('due_on', '2027-05-01');
    entry.set('weeks', 3);
    expect(entry.value('due_on')).toBe('2027-05-01');
  });

  it('may name the person', () => {
    const plan = updateField(lendingPlan(), 'note', { initially: 'person.name', lockedWhen: null });
    expect(open(plan).entry.value('note')).toBe('clerk');
  });
});

describe('D5 rules', () => {
  it('shows and requires by a condition, and clears what is hidden', () => {
    const { entry } = open();
    expect(entry.cell('reason').hidden).toBe(true);
    expect(entry.problems().map((p) => p.path)).not.toContain('reason');
    entry.set('weeks', 12);
    expect(entry.cell('reason').hidden).toBe(false);
    expect(entry.problems().map((p) => p.path)).toContain('reason');
    entry.set('reason', 'A long tour');
    entry.set('weeks', 4);
    expect(entry.value('reason')).toBeNull();
  });

  it('keeps the value of a hidden field where so designed, without validating it', () => {
    const plan = updateField(lendingPlan(), 'reason', { whileHidden: 'keep' });
    const { entry } = open(plan);
    entry.set('weeks', 12);
    entry.set('reason', 'A long tour');
    entry.set('weeks', 4);
    expect(entry.value('reason')).toBe('A long tour');
    expect(writePlan(entry)[0]?.values.reason).toBe('A long tour');
  });

  it('locks by a condition', async () => {
    expect(open().entry.cell('note').locked).toBe(true);
    expect((await chosen()).entry.cell('note').locked).toBe(false);
  });
});

describe('D6 checks', () => {
  it('say their own message with the values in it, each at its field', async () => {
    const { entry } = await chosen();
    entry.set('copies', 21);
    expect(entry.problems()).toMatchObject([
      { path: 'copies', code: 'check_failed', message: '21 asked, 20 on hand.' },
    ]);
    entry.set('copies', 20);
    expect(entry.problems()).toEqual([]);
    entry.set('copies', 0);
    expect(entry.problems().map((p) => p.message)).toEqual(['At least one copy.']);
  });

  it('do not stop a save over something that is not filled in', () => {
    const { entry } = open();
    entry.set('copies', 500);
    expect(entry.problems().map((p) => p.path)).toEqual(['ensemble']);
  });
});

describe('C2 opening a record changes nothing by itself', () => {
  const stored = {
    ensemble: 22,
    contact: 'As it was',
    email: 'old@example.org',
    score: 31,
    copies: 3,
    weeks: 4,
    fee: '99.00',
    lent_on: '2026-01-01',
    due_on: '2026-02-01',
    reason: 'kept although hidden',
  };

  it('however different everything would come out today', async () => {
    const { entry, rest } = open(lendingPlan(), { mode: 'opened', values: stored });
    await rest();
    expect(entry.values()).toMatchObject(stored);
    // What is not saved is worked out.
    expect(entry.values()).toMatchObject({ rate: '0.10', on_hand: 20 });
  });

  it('until what it follows from is changed by a person', async () => {
    const { entry, rest } = open(lendingPlan(), { mode: 'opened', values: stored });
    await rest();
    entry.set('copies', 5);
    expect(entry.values()).toMatchObject({
      fee: '2.00',
      due_on: '2026-02-01',
      contact: 'As it was',
    });
    for (const [key, value] of [
      ['region', 1],
      ['town', 11],
      ['ensemble', 21],
    ] as const) {
      entry.set(key, value);
      await rest();
    }
    expect(entry.values()).toMatchObject({
      contact: 'Odile',
      email: 'o@example.org',
      fee: '10.00',
    });
  });
});

describe('F9 a submission is worked out anew', () => {
  it('whatever computed values it carries', async () => {
    const values = { ensemble: 22, rate: '7.00', fee: '0.01', score: 31, copies: 2, weeks: 1 };
    const { entry, rest } = open(lendingPlan(), { mode: 'resumed', values });
    await rest();
    expect(entry.values()).toMatchObject({ rate: '0.10', fee: '0.20', on_hand: 20 });
  });
});

describe('rows', () => {
  it('have their own formulas, read the form, and are read by it', async () => {
    const { entry, rest } = open(linesPlan());
    const first = entry.addRow('lines', { values: { score: 31, copies: 2 } });
    const second = entry.addRow('lines', { values: { score: 32 } });
    await rest();
    expect(entry.values(first)).toMatchObject({ fee: '1.60', share: '0.909' });
    expect(entry.values(second)).toMatchObject({ copies: 1, fee: '0.16', share: '0.091' });
    expect(entry.values()).toMatchObject({ total: '1.76', copies: 3, largest: '1.60' });
    entry.set('weeks', 4);
    expect(entry.values()).toMatchObject({ total: '3.52' });
    entry.set('copies', 12, null, second);
    expect(entry.problems()).toMatchObject([{ path: 'lines[1].copies', message: 'Too many.' }]);
    entry.removeRow(second);
    expect(entry.values()).toMatchObject({ total: '3.20', copies: 2 });
    expect(entry.values(first)).toMatchObject({ share: '1.000' });
    expect(entry.problems()).toEqual([]);
  });

  it('leaves out lines that are not filled in yet', () => {
    const { entry } = open(linesPlan());
    entry.addRow('lines');
    expect(entry.values()).toMatchObject({ total: null, copies: 1 });
  });

  it('are written behind the form, with the link to it', async () => {
    const { entry, rest } = open(linesPlan());
    entry.addRow('lines', { values: { score: 31 } });
    await rest();
    expect(writePlan(entry)).toMatchObject([
      { action: 'insert', table: 'loan', values: { weeks: 2, total: '0.80', copies: 1 }, path: '' },
      {
        action: 'insert',
        table: 'loan_line',
        values: { score: 31, copies: 1, fee: '0.80', loan: { madeBy: 0 } },
        path: 'lines[0]',
      },
    ]);
  });

  it('asks once for many, and a key typed into a row is looked up', async () => {
    const { entry, rest } = open(linesPlan());
    const row = entry.addRow('lines');
    entry.addRow('lines');
    entry.type('score', 'S-1', undefined, row);
    expect(entry.asks()).toMatchObject([{ kind: 'key', grid: 'lines', row: row.key }]);
    await rest();
    expect(entry.values(row)).toMatchObject({ score: 31, fee: '0.80' });
  });
});

describe('F6 what is written besides', () => {
  const writes = [
    extra(
      'copy_movement',
      { score: 'score', kind: '"lent"', quantity: 'copies' },
      { when: 'copies > 0' },
    ),
  ];

  it('is part of the write plan', async () => {
    const { entry } = await chosen(lendingPlan({ writes }));
    expect(writePlan(entry)[1]).toEqual({
      action: 'insert',
      table: 'copy_movement',
      id: null,
      version: null,
      values: { score: 31, kind: 'lent', quantity: 1 },
      path: '',
    });
    entry.set('copies', 0);
    expect(writePlan(entry)).toHaveLength(1);
  });
});

describe('reads that go wrong', () => {
  const failed = { path: '', code: 'read_failed', message: 'no', hint: '' } as const;

  it('a failed read leaves the last known state, marked, and can be asked again', async () => {
    const { entry, rest } = await chosen();
    entry.set('score', 32, { value: 32, shown: ['Harbour'] });
    entry.answer(entry.asks().map((ask) => ({ id: ask.id, failed })));
    expect(entry.asks()).toEqual([]);
    expect(entry.value('on_hand')).toBe(20);
    expect(entry.problems().map((p) => `${p.path} ${p.code}`)).toEqual([
      'received read_failed',
      'lent read_failed',
    ]);
    entry.retry();
    await rest();
    expect(entry.value('on_hand')).toBe(2);
    expect(entry.problems()).toEqual([]);
  });

  it('a reader that never answers leaves everything as it is', async () => {
    const { entry } = await chosen();
    entry.set('score', 32, { value: 32, shown: ['Harbour'] });
    expect(entry.asks().length).toBeGreaterThan(0);
    expect(entry.values()).toMatchObject({ on_hand: 20, fee: '0.40' });
  });

  it('answers in reverse order come to the same end', async () => {
    const { entry, form, world } = await chosen();
    entry.set('score', 32);
    entry.set('ensemble', 21);
    entry.set('ensemble', 22);
    for (let asks = entry.asks(); asks.length > 0; asks = entry.asks()) {
      entry.answer(asks.map((ask) => answerFrom(world, form, ask)).reverse());
    }
    expect(entry.values()).toMatchObject({ on_hand: 2, contact: 'Brann', fee: '0.40' });
  });

  it('an answer of another kind than was asked for is no answer', async () => {
    const { entry } = await chosen();
    entry.set('score', 32, { value: 32, shown: ['Harbour'] });
    entry.answer(entry.asks().map((ask) => ({ id: ask.id, record: null })));
    expect(entry.value('on_hand')).toBe(20);
    expect(entry.problems().map((p) => p.code)).toEqual(['read_failed', 'read_failed']);
  });
});

describe('wiring', () => {
  const touched = (plan: Plan, key: string) => {
    const form = wireForm(plan, lendingTables);
    const wired = form.fields.get(key);
    const start = wired && form.graph.of(wired, 'value');
    const nodes = [...reachedFrom(start ? [start] : [])].sort((a, b) => a.order - b.order);
    return nodes.map((node) =>
      'wired' in node ? `${node.wired.field.key} ${node.aspect}` : 'grid',
    );
  };

  it('knows exactly what a change touches', () => {
    expect(touched(lendingPlan(), 'copies')).toEqual([
      'copies check',
      'copies check',
      'fee value',
      'note locked',
    ]);
    expect(touched(lendingPlan(), 'note')).toEqual([]);
    expect(touched(linesPlan(), 'weeks')).toEqual([
      'fee value',
      'largest value',
      'total value',
      'share value',
    ]);
  });

  it('reports a circle of three fields by their labels', () => {
    const plan = planOf('loan', [
      field('a', { label: 'First', holds: { kind: 'whole' }, computes: 'c + 1' }),
      field('b', { label: 'Second', holds: { kind: 'whole' }, computes: 'a + 1' }),
      field('c', { label: 'Third', holds: { kind: 'whole' }, computes: 'b + 1' }),
    ]);
    const { cycle } = wireForm(plan, lendingTables);
    expect(cycle).toHaveLength(4);
    expect(cycle?.[0]).toBe(cycle?.[3]);
    expect(new Set(cycle)).toEqual(new Set(['First', 'Second', 'Third']));
    expect(open(plan).entry.values()).toEqual({ a: null, b: null, c: null });
  });

  it('leaves a formula out that reads a deleted column, and says which', () => {
    const plan = updateField(lendingPlan(), 'fee', { computes: 'ensemble.discount * copies' });
    const { findings } = wireForm(plan, lendingTables);
    expect(findings).toMatchObject([
      {
        field: { key: 'fee' },
        use: { at: 'computes' },
        found: { problem: { code: 'formula_unknown_member' } },
      },
    ]);
    expect(open(plan).entry.value('fee')).toBeNull();
  });

  it('carries a thousand fields that hang on one another', () => {
    const chain = Array.from({ length: 1000 }, (_, i) =>
      field(`f${i}`, { holds: { kind: 'whole' }, computes: i === 999 ? 'start' : `f${i + 1} + 1` }),
    );
    const { entry } = open(
      planOf('loan', [...chain, field('start', { holds: { kind: 'whole' } })]),
    );
    entry.set('start', 1);
    expect(entry.value('f0')).toBe(1000);
  });
});

describe('G7 the trace', () => {
  it('tells every event with its cause, readable by anybody', async () => {
    const { entry, rest } = await chosen();
    const from = entry.trace.length;
    entry.set('ensemble', 21);
    await rest();
    const names = {
      field: (key: string) => key,
      path: (_: string, path: string) => path,
      value: (_: string, value: unknown) => String(value),
    };
    const told = entry.trace.slice(from).map((event) => {
      const { subject, said } = traceWords(event, names);
      return `${subject} ${said}${event.cause ? ` (${event.cause})` : ''}`;
    });
    expect(told).toEqual([
      'ensemble became 21',
      'ensemble 2 offered',
      'ensemble cleared, it is not offered or shown any more',
      'rate brought: nothing (ensemble)',
      'contact brought: nothing (ensemble)',
      'email brought: nothing (ensemble)',
      'fee computed: nothing (ensemble)',
    ]);
    const brought = entry.trace.filter((e) => e.kind === 'brought');
    expect(brought[0]).toMatchObject({ path: 'town.region.name', value: 'Region 1', took: 1 });
    expect(brought[1]).toMatchObject({ field: 'rate', before: null, value: '0.10' });
  });
});
