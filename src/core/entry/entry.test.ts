import { houseOf } from '../table/sources';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  column,
  field,
  loanPlan,
  lookupOf,
  planOf,
  reference,
  table,
} from '../../../tests/support/definitions';
import { answerFrom, type World } from '../../../tests/support/world';
import type { Plan } from '../plan/schema';
import type { Value } from '../values/types';
import { wireForm } from '../wiring/form';
import type { Answer, StandingAsk } from './asks';
import { Entry } from './entry';
import { refusedDefaults } from './refused-defaults';
import { settle } from './settle';
import { whyEmpty } from './words';
import { writePlan } from './write-plan';

const tables = houseOf(
  [
    table('region', [column('name')]),
    table('town', [column('name'), reference('region')]),
    table('ensemble', [column('name'), reference('town')]),
    table('loan', [
      reference('ensemble'),
      column('number'),
      column('lent_on', { type: { kind: 'date' } }),
    ]),
  ].map((t) => [t.key, t] as const),
);

/** A small world: region 3 has no town, town 13 no ensemble, town 11 just one. */
const rows: World = {
  region: [1, 2, 3].map((id) => ({ id, name: `Region ${id}` })),
  town: [
    { id: 11, name: 'Town 11', region: 1 },
    { id: 12, name: 'Town 12', region: 1 },
    { id: 13, name: 'Town 13', region: 2 },
  ],
  ensemble: [
    { id: 21, name: 'Ensemble 21', town: 11 },
    { id: 22, name: 'Ensemble 22', town: 12 },
    { id: 23, name: 'Ensemble 23', town: 12 },
  ],
};

/** Answers an ask from that world, as the server does from the database. */
const answerOf = (plan: Plan, ask: StandingAsk): Answer =>
  answerFrom(rows, wireForm(plan, tables), ask);

const reader = (plan: Plan) => async (asks: readonly StandingAsk[]) =>
  asks.map((a) => answerOf(plan, a));

function open(plan = loanPlan(), values?: Record<string, unknown>, mode: 'new' | 'opened' = 'new') {
  const entry = new Entry(wireForm(plan, tables), { mode, values });
  return { entry, plan, rest: () => settle(entry, reader(plan)) };
}

describe('C3 a list whose narrowing field is empty', () => {
  it('waits, and says for which field', () => {
    const { entry } = open();
    expect(entry.choices('town')).toEqual({ status: 'waiting', for: 'region' });
    expect(entry.asks()).toEqual([]);
  });

  it('offers everything where so designed', async () => {
    const plan = planOf('loan', [
      field('region', { choices: lookupOf('region') }),
      field('town', {
        choices: lookupOf('town', {
          narrowings: [
            { path: 'region', operator: 'equal', field: 'region', whileEmpty: 'everything' },
          ],
        }),
      }),
    ]);
    const { entry, rest } = open(plan);
    await rest();
    expect(entry.choices('town')).toMatchObject({ status: 'offered', offer: { found: 3 } });
  });
});

describe('C2 a changed parent', () => {
  it('keeps what is still offered and clears what is not, down the chain', async () => {
    const { entry, rest } = open();
    entry.set('region', 1);
    await rest();
    entry.set('town', 12);
    await rest();
    entry.set('ensemble', 22);
    await rest();
    entry.set('region', 2);
    await rest();
    expect(entry.values()).toMatchObject({ region: 2, town: null, ensemble: null });
    expect(entry.choices('ensemble')).toEqual({ status: 'waiting', for: 'town' });
    expect(entry.trace.filter((e) => e.kind === 'cleared').map((e) => e.field)).toEqual([
      'town',
      'ensemble',
    ]);
  });

  it('clears at once what is left without its narrowing field', () => {
    const { entry } = open(loanPlan(), { region: 1, town: 11, ensemble: 21 });
    entry.set('region', null);
    expect(entry.values()).toMatchObject({ town: null, ensemble: null });
  });

  it('never alters an opened record by itself: what is not offered is marked', async () => {
    const { entry, rest } = open(loanPlan(), { region: 2, town: 11, ensemble: 22 }, 'opened');
    await rest();
    expect(entry.values()).toMatchObject({ region: 2, town: 11, ensemble: 22 });
    expect(entry.notOffered('town')).toBe(true);
    expect(entry.current('town')?.shown).toEqual(['Town 11']);
    expect(entry.problems().map((p) => p.path)).toEqual(['town', 'ensemble']);
    entry.set('region', 1);
    await rest();
    // The town is offered again; the ensemble hangs on the town only, which did not change.
    expect(entry.notOffered('town')).toBe(false);
    expect(entry.values()).toMatchObject({ town: 11, ensemble: 22 });
    entry.set('town', 12);
    entry.set('town', 11);
    await rest();
    // What is set back is as if it had never been changed.
    expect([entry.value('ensemble'), entry.notOffered('ensemble')]).toEqual([22, true]);
    entry.set('town', 12);
    await rest();
    entry.set('town', 11);
    await rest();
    expect(entry.value('ensemble')).toBeNull();
  });

  it('asks anew when it comes back to where it was before the answer', async () => {
    const { entry, plan, rest } = open(loanPlan(), { region: 1 });
    await rest();
    entry.set('region', 2, { value: 2, shown: ['Region 2'] });
    const late = entry.asks().map((ask) => answerOf(plan, ask));
    entry.set('region', 1, { value: 1, shown: ['Region 1'] });
    entry.answer(late);
    await rest();
    expect(entry.choices('town')).toMatchObject({ offer: { found: 2 } });
  });

  it('does not take a value while its list waits', () => {
    const { entry } = open();
    entry.set('town', 11);
    expect(entry.value('town')).toBeNull();
  });
});

describe('C5 a single remaining choice', () => {
  it('is taken where so designed', async () => {
    const { entry, rest } = open();
    entry.set('region', 1);
    await rest();
    entry.set('town', 11);
    await rest();
    expect(entry.value('ensemble')).toBe(21);
    expect(entry.trace.at(-1)).toMatchObject({ kind: 'taken', field: 'ensemble', cause: 'town' });
  });

  it('is not taken again once a person has emptied it', async () => {
    const { entry, rest } = open();
    entry.set('region', 1);
    entry.set('town', 11);
    await rest();
    entry.set('ensemble', null);
    await rest();
    expect(entry.value('ensemble')).toBeNull();
  });
});

describe('B4 defaults', () => {
  it('leaves none that is not offered in a new record', async () => {
    const plan = planOf('loan', [field('region', { choices: lookupOf('region'), initial: 99 })]);
    const { entry, rest } = open(plan);
    await rest();
    expect(entry.value('region')).toBeNull();
  });
});

describe('B4 a default that the table of its list does not offer', () => {
  const plan = (initial: number) =>
    planOf('loan', [field('ensemble', { initial, choices: lookupOf('ensemble') })]);

  it('is found by an entry that has read its list, new or carried over', async () => {
    const fresh = open(plan(99));
    expect(refusedDefaults(fresh.entry)).toEqual([]);
    await fresh.rest();
    const [found] = refusedDefaults(fresh.entry);
    expect(found?.problem).toMatchObject({ code: 'default_not_offered', path: 'ensemble' });
    expect(found?.fix?.apply(fresh.plan)).toEqual({
      ...fresh.plan,
      sections: plan(99).sections.map((s) => ({
        ...s,
        fields: [{ ...s.fields[0], initial: null }],
      })),
    });
    const carried = new Entry(wireForm(plan(99), tables), {
      mode: 'resumed',
      values: { ensemble: 99 },
    });
    await settle(carried, reader(plan(99)));
    expect(refusedDefaults(carried)).toHaveLength(1);
  });

  it('is none where it is offered, nor what somebody has chosen besides', async () => {
    const { entry, rest } = open(plan(21));
    await rest();
    entry.set('ensemble', 98);
    await rest();
    expect(refusedDefaults(entry)).toEqual([]);
  });
});

describe('asks and answers', () => {
  it('asks in one batch for all that a change touches', async () => {
    const narrowed = lookupOf('town', {
      narrowings: [{ path: 'region', operator: 'equal', field: 'region', whileEmpty: 'nothing' }],
    });
    const plan = planOf('loan', [
      field('region', { choices: lookupOf('region') }),
      field('one', { choices: narrowed }),
      field('two', { choices: narrowed }),
    ]);
    const { entry } = open(plan);
    entry.set('region', 1, { value: 1, shown: ['Region 1'] });
    expect(entry.asks().map((ask) => ask.field)).toEqual(['one', 'two']);
  });

  it('drops an answer to a question that is no longer current', () => {
    const { entry, plan } = open();
    entry.set('region', 1, { value: 1, shown: ['Region 1'] });
    const late = entry.asks().map((ask) => answerOf(plan, ask));
    entry.set('region', 2, { value: 2, shown: ['Region 2'] });
    expect(entry.answer(late)).toBe(1);
    expect(entry.choices('town')).toEqual({ status: 'asking' });
    entry.answer(entry.asks().map((ask) => answerOf(plan, ask)));
    expect(entry.choices('town')).toMatchObject({ offer: { found: 1 } });
  });

  it('keeps a value over a failed read and can ask again', async () => {
    const { entry, plan, rest } = open(loanPlan(), { region: 1, town: 11 });
    const failed = { path: '', code: 'read_failed', message: 'no', hint: '' } as const;
    await settle(entry, async (asks) => asks.map((a) => ({ id: a.id, failed })));
    expect(entry.value('town')).toBe(11);
    expect(entry.choices('town').status).toBe('failed');
    entry.retry();
    await rest();
    expect(entry.choices('town').status).toBe('offered');
    expect(plan).toEqual(loanPlan());
  });

  it('marks as failed what a reader leaves unanswered', async () => {
    const { entry } = open(loanPlan(), { region: 1 });
    await settle(entry, async () => []);
    expect(entry.choices('region').status).toBe('failed');
    expect(entry.asks()).toEqual([]);
  });

  it('takes what follows from the answers out of the same response', async () => {
    const { entry, plan } = open();
    entry.set('region', 1, { value: 1, shown: ['Region 1'] });
    entry.answer(entry.asks().map((a) => answerOf(plan, a)));
    entry.set('town', 12, { value: 12, shown: ['Town 12'] });
    entry.answer(entry.asks().map((a) => answerOf(plan, a)));
    entry.set('ensemble', 22, { value: 22, shown: ['Ensemble 22'] });
    entry.set('region', 3, { value: 3, shown: ['Region 3'] });
    const server = Entry.resume(entry.form, entry.state(), entry.asks());
    const answers = await settle(server, reader(plan));
    entry.answer(answers);
    expect(entry.asks()).toEqual([]);
    expect(entry.values()).toEqual(server.values());
    expect(entry.values()).toMatchObject({ region: 3, town: null, ensemble: null });
  });
});

describe('typed text', () => {
  it('is kept with its problem where it is no value', () => {
    const { entry } = open();
    entry.type('lent_on', '2027-02-30');
    expect(entry.rejectedText('lent_on')).toBe('2027-02-30');
    expect(entry.problems().find((p) => p.path === 'lent_on')?.code).toBe('not_date');
    entry.type('lent_on', '2027-03-01');
    expect(entry.value('lent_on')).toBe('2027-03-01');
    expect(entry.rejectedText('lent_on')).toBeNull();
  });

  it('in a draft of the wrong type is a problem, not a value', () => {
    const { entry } = open(loanPlan(), { lent_on: 5, number: ['x'], region: 'North' }, 'opened');
    expect(entry.values()).toMatchObject({ lent_on: null, number: null, region: null });
    expect(entry.problems().map((p) => p.path)).toEqual(
      expect.arrayContaining(['lent_on', 'number', 'region']),
    );
  });
});

describe('F6 the write plan', () => {
  it('holds what is saved and nothing of the working fields', () => {
    const { entry } = open(loanPlan(), { region: 1, town: 11, ensemble: 21, number: 'L-1' });
    expect(writePlan(entry)).toMatchObject([
      {
        action: 'insert',
        table: 'loan',
        values: { ensemble: 21, number: 'L-1', lent_on: null },
        path: '',
      },
    ]);
  });
});

describe('wiring', () => {
  it('reports a circle as the path through its fields, and still comes to rest', async () => {
    const by = (key: string) =>
      ({ path: key, operator: 'equal', field: key, whileEmpty: 'everything' }) as const;
    const circle = planOf('loan', [
      field('a', { choices: lookupOf('town', { narrowings: [by('c')] }) }),
      field('b', { choices: lookupOf('town', { narrowings: [by('a')] }) }),
      field('c', { choices: lookupOf('town', { narrowings: [by('b')] }) }),
    ]);
    const form = wireForm(circle, tables);
    expect(form.cycle).toHaveLength(4);
    expect(new Set(form.cycle)).toEqual(new Set(['a', 'b', 'c']));
    const { entry, rest } = open(circle);
    entry.set('a', 11);
    await rest();
    expect(entry.asks()).toEqual([]);
  });

  it('orders a chain of a thousand fields without exhausting the stack', () => {
    const chain = planOf('loan', [
      ...Array.from({ length: 1000 }, (_, i) =>
        field(`f${i}`, {
          choices: lookupOf('town', {
            narrowings:
              i === 999
                ? []
                : [
                    {
                      path: 'region',
                      operator: 'equal',
                      field: `f${i + 1}`,
                      whileEmpty: 'nothing',
                    },
                  ],
          }),
        }),
      ),
    ]);
    const form = wireForm(chain, tables);
    expect(form.cycle).toBeNull();
    const order = form.graph.nodes.map((node) => ('wired' in node ? node.wired.field.key : ''));
    expect(order[0]).toBe('f999');
    expect(order.at(-1)).toBe('f0');
  });
});

describe('C4 an empty list says why', () => {
  const names = {
    field: (key: string) => key,
    path: (_: string, path: string) => path,
    value: (_: string, value: Value) => `Region ${value}`,
  };
  const condition = {
    path: 'region',
    operator: 'equal',
    values: [3],
    field: 'region',
    without: 96,
  };

  it('names the condition, its value and what it removed', () => {
    const reason = { total: 96, conditions: [condition], withoutSearch: null };
    expect(whyEmpty('town', reason, names)).toEqual([
      '“region is Region 3” leaves none; without it 96 would be offered.',
    ]);
  });

  it('tells an empty table and a search that finds nothing apart', () => {
    expect(whyEmpty('town', { total: 0, conditions: [], withoutSearch: null }, names)[0]).toContain(
      'no record',
    );
    expect(whyEmpty('town', { total: 9, conditions: [], withoutSearch: 9 }, names)[0]).toContain(
      'typed',
    );
  });
});

type Step = {
  field: 'region' | 'town' | 'ensemble';
  value: Value;
  answers: number;
  reversed: boolean;
};

const step: fc.Arbitrary<Step> = fc.record({
  field: fc.constantFrom('region', 'town', 'ensemble'),
  value: fc.constantFrom<Value>(null, 1, 2, 3, 11, 12, 13, 21, 22, 23),
  answers: fc.nat(3),
  reversed: fc.boolean(),
});

describe('whatever the order of changes and answers', () => {
  it('a settled entry asks nothing, and holds no value that is not offered', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(step, { maxLength: 12 }), async (steps) => {
        const { entry, plan, rest } = open();
        const late: Answer[] = [];
        for (const { field: key, value, answers, reversed } of steps) {
          entry.set(key, value);
          late.push(...entry.asks().map((ask) => answerOf(plan, ask)));
          const some = late.splice(0, answers);
          entry.answer(reversed ? some.reverse() : some);
        }
        entry.answer(late.reverse());
        await rest();
        expect(entry.asks()).toEqual([]);
        for (const key of ['region', 'town', 'ensemble']) {
          expect(entry.notOffered(key)).toBe(false);
          const value = entry.value(key);
          if (value === null) continue;
          const given = Object.fromEntries(
            (entry.form.fields.get(key)?.narrowedBy ?? []).map((by) => [by, entry.value(by)]),
          );
          expect(Object.values(given)).not.toContain(null);
          const answer = answerOf(plan, {
            id: '',
            kind: 'list',
            field: key,
            grid: '',
            cause: null,
            row: null,
            given,
            current: value,
          });
          expect('current' in answer && answer.current?.value).toBe(value);
        }
      }),
      { numRuns: 300 },
    );
  });

  it('late answers change nothing: the end is that of an entry answered at once', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(step, { maxLength: 10 }), async (steps) => {
        const prompt = open();
        const tardy = open();
        const old: Answer[] = [];
        for (const { field: key, value } of steps) {
          prompt.entry.set(key, value);
          await prompt.rest();
          tardy.entry.set(key, value);
          old.push(...tardy.entry.asks().map((ask) => answerOf(tardy.plan, ask)));
          await tardy.rest();
          tardy.entry.answer(old);
        }
        expect(tardy.entry.values()).toEqual(prompt.entry.values());
      }),
      { numRuns: 200 },
    );
  });
});
