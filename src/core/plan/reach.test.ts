import { describe, expect, it } from 'vitest';
import { column, extra, field, planOf, reference, table } from '../../../tests/support/definitions';
import { lendingPlan, lendingTables, linesPlan } from '../../../tests/support/lending';
import { querySchema } from '../outside/query';
import { tablesWith } from '../table/sources';
import { plainText } from '../values/types';
import { examine } from '../wiring/examine';
import { reachedBy } from './reach';
import { planSchema, type Plan } from './schema';

const list = (key: string, of: string | null = null) => ({
  key,
  title: key,
  category: '',
  note: '',
  of,
  values: [{ value: 'a', label: 'A' }],
});
const query = (key: string, connection: string) =>
  querySchema.parse({
    key,
    title: key,
    connection,
    text: 'x',
    columns: [{ key: 'name', label: 'Name', path: 'name', type: plainText }],
  });
const tables = tablesWith({
  tables: [
    ...lendingTables.values(),
    table('wages', [column('amount'), reference('loan')]),
    table('defect', [column('kind', { type: { kind: 'option', list: 'kinds', options: [] } })]),
  ],
  lists: [list('areas'), list('kinds', 'areas'), list('grades')],
  queries: [query('member', 'register'), query('price', 'prices')],
  systems: ['register', 'prices', 'workshop'].map((key) => ({ key, title: key, accepts: 'http' })),
});
const keysOf = (of: ReadonlyMap<string, unknown> | undefined) => [...(of?.keys() ?? [])];

describe('a form knows what it has to do with', () => {
  it.each<[string, Plan]>([
    ['a form', lendingPlan()],
    ['a form with lines', linesPlan()],
    [
      'a form that writes besides',
      lendingPlan({ writes: [extra('copy_movement', { quantity: '1' })] }),
    ],
  ])('and is examined with that as it is with all: %s', (_, plan) => {
    const told = (of: typeof tables) => examine(plan, of).map(({ problem }) => problem.message);
    expect(told(reachedBy(plan, tables))).toEqual(told(tables));
  });

  it('over references and other columns, and nothing else of the house', () => {
    expect(keysOf(reachedBy(linesPlan(), tables))).toEqual([
      'region',
      'town',
      'ensemble',
      'score',
      'loan',
      'loan_line',
    ]);
    const reached = reachedBy(lendingPlan(), tables);
    expect(keysOf(reached)).toContain('copy_movement');
    expect([reached.lists, reached.queries, reached.systems].map(keysOf)).toEqual([[], [], []]);
  });

  it('with the lists of its columns and fields, and those around them', () => {
    const plan = planOf('defect', [field('kind', { savesTo: 'kind' })]);
    expect(keysOf(reachedBy(plan, tables).lists)).toEqual(['areas', 'kinds']);
    const chosen = field('grade', { choices: { kind: 'options', list: 'grades', by: null } });
    expect(keysOf(reachedBy(planOf('region', [chosen]), tables).lists)).toEqual(['grades']);
  });

  it('with the systems that it asks and tells', () => {
    const plan = planSchema.parse({
      ...planOf('region', [
        field('name', { outside: { query: 'member', column: 'name', given: [] } }),
      ]),
      buttons: [
        {
          key: 'b',
          label: 'B',
          steps: [{ do: 'tell', connection: 'workshop', address: 'x', values: {} }],
        },
      ],
    });
    const { queries, systems } = reachedBy(plan, tables);
    expect([keysOf(queries), keysOf(systems)]).toEqual([['member'], ['register', 'workshop']]);
  });
});
