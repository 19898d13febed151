import { describe, expect, it } from 'vitest';
import { column, field, planOf, table } from '../../../tests/support/definitions';
import { comparePlans } from '../plan/compare';
import { renameField } from '../plan/rename';
import { planSchema, type Plan } from '../plan/schema';
import { tablesWith } from '../table/sources';
import { examine } from '../wiring/examine';
import { wireForm } from '../wiring/form';
import { Entry } from './entry';
import { Planning } from './planned';
import { buttonSends, isOffered, openAddress, sendPlan, setValue } from './send-plan';

const whole = { kind: 'whole' as const };
const tables = tablesWith({
  tables: [table('report', [column('what'), column('n', { type: whole })])],
  systems: [
    { key: 'register', title: 'Register', accepts: 'http' },
    { key: 'workshop', title: 'Workshop', accepts: 'sql' },
    { key: 'prices', title: 'Prices', accepts: null },
  ],
});
const plan = planSchema.parse({
  ...planOf('report', [field('what', { savesTo: 'what' }), field('n', { savesTo: 'n' })]),
  sends: [
    {
      connection: 'register',
      when: 'n > 1',
      address: 'members/{what}/notes',
      values: { what: 'what', half: 'n / 2', on: 'date("2027-03-01")' },
    },
  ],
  buttons: [
    {
      key: 'double',
      label: 'Double it',
      when: 'n != null',
      steps: [
        { do: 'set', field: 'n', to: 'n * 2' },
        { do: 'tell', connection: 'register', address: 'notes', values: { n: 'n' } },
        { do: 'open', form: 'loan', carry: { note: 'what + " & more"', n: 'n' } },
      ],
    },
  ],
});

const entryOf = (of: Plan, values: Record<string, string | number> = {}) =>
  new Entry(wireForm(of, tables), { mode: 'resumed', values });

describe('H5 what a save sends', () => {
  it('is worked out exactly: decimals and dates as text, what the address names in its place', () => {
    expect(sendPlan(entryOf(plan, { what: 'a/b', n: 3 }))).toEqual([
      {
        connection: 'register',
        method: 'POST',
        address: '/members/a%2Fb/notes',
        body: { half: '1.5', on: '2027-03-01' },
      },
    ]);
    expect(sendPlan(entryOf(plan, { what: 'a', n: 1 }))).toEqual([]);
  });
});

describe('H1 what is told to a database', () => {
  const statement = 'insert into booking (once, what, n) values ({once}, {what}, {n})';
  const told = (more: object) =>
    planSchema.parse({
      ...plan,
      sends: [
        {
          connection: 'workshop',
          method: 'SQL',
          address: statement,
          values: { what: 'what', n: 'n' },
        },
      ].map((send) => ({ ...send, ...more })),
    });
  const codes = (of: Plan) => examine(of, tables).map(({ problem }) => problem.code);

  it('is the statement as it was written, and beside it what is bound', () => {
    expect(sendPlan(entryOf(told({}), { what: `x'); --`, n: 2 }))).toEqual([
      {
        connection: 'workshop',
        method: 'SQL',
        address: statement,
        body: { what: `x'); --`, n: '2' },
      },
    ]);
  });

  it('wants a formula for each name but its own key, and a system that takes it', () => {
    expect(codes(told({}))).toEqual(codes({ ...plan, sends: [] }));
    expect(codes(told({ values: { what: 'what' } }))).toContain('send_value_missing');
    for (const more of [
      { connection: 'register' },
      { connection: 'prices' },
      { connection: 'gone' },
      { method: 'POST' },
    ]) {
      expect(codes(told(more))).toContain('send_system_missing');
    }
  });
});

describe('G10 a button', () => {
  it('is there while its condition holds, and does its steps on the entry as it stands', () => {
    const entry = entryOf(plan, { what: 'bell', n: 4 });
    const [button] = entry.form.buttons;
    if (!button) throw new Error('no button');
    expect(isOffered(entry, button)).toBe(true);
    expect(isOffered(entryOf(plan), button)).toBe(false);
    const [set, , open] = button.steps;
    expect(set?.do === 'set' && setValue(entry, set)).toEqual({ value: 8 });
    expect(buttonSends(new Planning(entry), button)).toMatchObject([
      { address: '/notes', body: { n: '4' } },
    ]);
    expect(open?.do === 'open' && openAddress(entry, open)).toBe(
      '/forms/loan?with.note=bell%20%26%20more&with.n=4',
    );
  });

  it('follows a field to another key, in formulas and in what it sets', () => {
    const renamed = renameField(plan, tables, 'n', 'count');
    expect(renamed.buttons?.[0]).toMatchObject({
      when: 'count != null',
      steps: [{ field: 'count', to: 'count * 2' }, { values: { n: 'count' } }, {}],
    });
    expect(renamed.sends?.[0]?.values.half).toBe('count / 2');
    expect(examine(renamed, tables).filter(({ level }) => level === 'problem')).toEqual([]);
  });

  it('with a formula that cannot be read, or a field that is gone, is a problem', () => {
    const broken = (steps: object[]) =>
      planSchema.parse({ ...plan, buttons: [{ key: 'b', label: 'B', steps }] });
    const codes = (of: Plan) =>
      examine(of, tables)
        .filter(({ level }) => level === 'problem')
        .map(({ problem }) => problem.code);
    expect(codes(broken([{ do: 'set', field: 'gone', to: '1' }]))).toEqual([
      'button_field_missing',
    ]);
    expect(codes(broken([{ do: 'set', field: 'n', to: 'n +' }]))).toHaveLength(1);
    expect(
      codes(
        planSchema.parse({
          ...plan,
          sends: [{ connection: 'register', address: '{x}', values: {} }],
        }),
      ),
    ).toEqual(['send_value_missing']);
  });

  it('is told where two plans are compared', () => {
    const changes = comparePlans({ ...plan, buttons: [] }, plan, tables);
    expect(changes).toContainEqual(
      expect.objectContaining({
        question: 'buttons',
        after:
          'Double it: sets n to n * 2, then tells Register: POST notes, then opens loan (when n != null)',
      }),
    );
  });
});
