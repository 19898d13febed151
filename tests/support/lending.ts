import { houseOf } from '../../src/core/table/sources';
import { plainGrid } from '$lib/core/plan/draft';
import type { Field, Plan } from '../../src/core/plan/schema';
import type { Column, House } from '../../src/core/table/definition';
import type { ValueType } from '../../src/core/values/types';
import { column, extra, field, lookupOf, planOf, reference, table } from './definitions';
import type { World } from './world';

const money: ValueType = { kind: 'decimal', precision: 10, scale: 2 };
const whole: ValueType = { kind: 'whole' };
const holds = (key: string, type: ValueType, more: Partial<Column> = {}) =>
  column(key, { type, ...more });

/** Regions, towns, ensembles, scores with their movements, and loans with lines. */
export const lendingTables: House = houseOf(
  [
    table('region', [column('name')]),
    table('town', [column('name'), reference('region')]),
    table('ensemble', [
      column('name'),
      reference('town'),
      column('contact'),
      column('email'),
      holds('rate', money),
    ]),
    table('score', [column('code', { unique: true }), column('name'), holds('pages', whole)]),
    table('copy_movement', [reference('score'), column('kind'), holds('quantity', whole)]),
    table('loan', [
      reference('ensemble'),
      reference('score'),
      holds('copies', whole),
      holds('weeks', whole),
      holds('lent_on', { kind: 'date' }),
      holds('due_on', { kind: 'date' }),
      holds('fee', money),
      holds('total', money),
      column('contact'),
      column('email'),
      column('note'),
      column('reason'),
    ]),
    table('loan_line', [
      reference('loan', 'loan', { required: true }),
      reference('score', 'score', { required: true }),
      holds('copies', whole),
      holds('fee', money),
    ]),
  ].map((t) => [t.key, t] as const),
);

/** Region 3 has no town, town 13 no ensemble. Score 31 has 20 copies on hand, score 32 has 2. */
export const lendingWorld = (): World => ({
  region: [1, 2, 3].map((id) => ({ id, name: `Region ${id}` })),
  town: [
    { id: 11, name: 'Town 11', region: 1 },
    { id: 12, name: 'Town 12', region: 1 },
    { id: 13, name: 'Town 13', region: 2 },
  ],
  ensemble: [
    {
      id: 21,
      name: 'Ensemble 21',
      town: 11,
      contact: 'Odile',
      email: 'o@example.org',
      rate: '0.50',
    },
    {
      id: 22,
      name: 'Ensemble 22',
      town: 12,
      contact: 'Brann',
      email: 'b@example.org',
      rate: '0.10',
    },
    { id: 23, name: 'Ensemble 23', town: 12, contact: null, email: null, rate: null },
  ],
  score: [
    { id: 31, code: 'S-1', name: 'Lantern', pages: 40 },
    { id: 32, code: '0042', name: 'Harbour', pages: 8 },
  ],
  copy_movement: [
    { id: 1, score: 31, kind: 'received', quantity: 24 },
    { id: 2, score: 31, kind: 'lent', quantity: 4 },
    { id: 3, score: 32, kind: 'received', quantity: 2 },
  ],
  loan: [],
  loan_line: [],
});

const by = (path: string, from = path) =>
  ({ path, operator: 'equal', field: from, whileEmpty: 'nothing' }) as const;

/** Copies of a score that moved in or out. */
export function moved(key: string, kind: string): Field {
  return field(key, {
    shows: 'nothing',
    rollup: {
      table: 'copy_movement',
      aggregate: 'sum',
      path: 'quantity',
      conditions: [{ path: 'kind', operator: 'equal', values: [kind] }],
      less: [],
      narrowings: [by('score')],
    },
  });
}

/** Lends a score: brings, formulas, rollups, rules and checks in one form. */
export function lendingPlan(more: Partial<Plan> = {}): Plan {
  return planOf(
    'loan',
    [
      field('region', { choices: lookupOf('region') }),
      field('town', { choices: lookupOf('town', { narrowings: [by('region')] }) }),
      field('ensemble', {
        savesTo: 'ensemble',
        required: true,
        choices: lookupOf('ensemble', { narrowings: [by('town')] }),
        brings: [
          { path: 'town.region.name', by: null, into: null, keeps: 'live', editable: false },
          { path: 'rate', by: null, into: 'rate', keeps: 'live', editable: false },
          { path: 'contact', by: null, into: 'contact', keeps: 'kept', editable: true },
          { path: 'email', by: null, into: 'email', keeps: 'live', editable: true },
        ],
      }),
      field('rate'),
      field('contact', { savesTo: 'contact' }),
      field('email', { savesTo: 'email' }),
      field('score', { savesTo: 'score', choices: lookupOf('score') }),
      moved('received', 'received'),
      moved('lent', 'lent'),
      field('on_hand', { holds: whole, computes: 'received - lent', shows: 'line' }),
      field('copies', {
        savesTo: 'copies',
        initial: 1,
        checks: [
          { holds: 'copies <= on_hand', message: '{copies} asked, {on_hand} on hand.' },
          { holds: 'copies > 0', message: 'At least one copy.' },
        ],
      }),
      field('weeks', { savesTo: 'weeks', initial: 4 }),
      field('fee', { savesTo: 'fee', computes: 'rate * copies * weeks' }),
      field('lent_on', { savesTo: 'lent_on', initially: 'today()' }),
      field('due_on', { savesTo: 'due_on', initially: 'lent_on + @"P7D" * weeks' }),
      field('reason', { savesTo: 'reason', shownWhen: 'weeks > 8', requiredWhen: 'weeks > 8' }),
      field('note', { savesTo: 'note', lockedWhen: 'fee = null' }),
    ],
    more,
  );
}

/** A loan with lines: row scope, the form read from rows, rows read from the form. */
export function linesPlan(): Plan {
  return planOf('loan', [], {
    sections: [
      {
        key: 'main',
        title: 'Main',
        columns: 2,
        grid: null,
        page: null,
        fields: [
          field('weeks', { savesTo: 'weeks', initial: 2 }),
          field('total', { savesTo: 'total', computes: 'sum(lines.fee)' }),
          field('copies', { savesTo: 'copies', computes: 'sum(lines.copies)' }),
          field('largest', { holds: money, computes: 'max(lines.fee)' }),
        ],
      },
      {
        key: 'lines',
        title: 'Lines',
        columns: 1,
        grid: plainGrid('loan_line', 'loan'),
        page: null,
        fields: [
          field('score', { savesTo: 'score', choices: lookupOf('score', { typedBy: 'code' }) }),
          field('copies', {
            savesTo: 'copies',
            initial: 1,
            checks: [{ holds: 'copies < 10', message: 'Too many.' }],
          }),
          field('fee', { savesTo: 'fee', computes: 'copies * parent.weeks * score.pages / 100' }),
          field('share', {
            holds: { kind: 'decimal', precision: 6, scale: 3 },
            computes: 'fee / parent.total',
          }),
        ],
      },
    ],
  });
}

/** Copies lent out of a store and received into it, each with its movement, under a limit. */
export function storePlans(): { lend: Plan; receive: Plan } {
  const checked = (holds: string, message: string) => ({ checks: [{ holds, message }] });

  /** Takes copies out of the store; what a stored loan has taken counts as there for itself. */
  const lend = planOf(
    'loan',
    [
      field('score', {
        savesTo: 'score',
        choices: lookupOf('score'),
        lockedWhen: 'before.score != null',
      }),
      moved('received', 'received'),
      moved('lent', 'lent'),
      field('on_hand', {
        holds: whole,
        computes: 'received - lent + (if before.copies = null then 0 else before.copies)',
        shows: 'line',
      }),
      field('copies', {
        savesTo: 'copies',
        ...checked('copies <= on_hand', '{copies} asked, {on_hand} on hand.'),
      }),
      field('weeks', { savesTo: 'weeks', ...checked('weeks <= 20', 'At most 20 weeks.') }),
      field('contact', { savesTo: 'contact', shows: 'line' }),
      field('note', { savesTo: 'note', shownWhen: 'weeks > 8', whileHidden: 'keep' }),
    ],
    { writes: [extra('copy_movement', { score: 'score', kind: '"lent"', quantity: 'copies' })] },
  );

  const receive = planOf('copy_movement', [
    field('score', { savesTo: 'score', choices: lookupOf('score') }),
    field('kind', { savesTo: 'kind' }),
    field('quantity', { savesTo: 'quantity' }),
  ]);
  return { lend, receive };
}
