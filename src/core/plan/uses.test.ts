import { houseOf } from '../table/sources';
import { describe, expect, it } from 'vitest';
import { column, extra, field, lookupOf, planOf, table } from '../../../tests/support/definitions';
import { lendingPlan, lendingTables, linesPlan } from '../../../tests/support/lending';
import { usesOf } from './uses';

const uses = (plan = lendingPlan(), table = '', column?: string) =>
  usesOf(plan, lendingTables, column === undefined ? { table } : { table, column }).map(
    ({ field: label, questions }) => [label, ...questions],
  );

describe('A7 where a plan uses a table', () => {
  it('is told for its lists, its rollups, and the records that it saves', () => {
    expect(uses(lendingPlan(), 'town')).toEqual([['town', 'comes from']]);
    expect(uses(lendingPlan(), 'copy_movement')).toEqual([
      ['received', 'comes from'],
      ['lent', 'comes from'],
    ]);
    expect(uses(lendingPlan(), 'loan')).toEqual([['', 'saves its records']]);
    expect(uses(linesPlan(), 'loan_line')).toEqual([['Lines', 'its lines']]);
    expect(uses(lendingPlan(), 'nowhere')).toEqual([]);
  });

  it('is told for what it writes besides', () => {
    const writes = [extra('copy_movement', { quantity: 'copies' })];
    expect(uses(lendingPlan({ writes }), 'copy_movement')[0]).toEqual(['', 'written besides']);
  });
});

describe('A7 where a plan uses a column', () => {
  it.each<[string, string, string[][]]>([
    [
      'town',
      'region',
      [
        ['town', 'narrowed by'],
        ['ensemble', 'brings'],
      ],
    ],
    ['ensemble', 'rate', [['ensemble', 'brings']]],
    [
      'copy_movement',
      'quantity',
      [
        ['received', 'comes from'],
        ['lent', 'comes from'],
      ],
    ],
    [
      'copy_movement',
      'kind',
      [
        ['received', 'comes from'],
        ['lent', 'comes from'],
      ],
    ],
    ['loan', 'fee', [['fee', 'saves to']]],
    ['ensemble', 'nothing', []],
  ])('is told by the questions that name it: %s.%s', (of, name, expected) => {
    expect(uses(lendingPlan(), of, name)).toEqual(expected);
  });

  it('is told for formulas that read it through a chosen record', () => {
    expect(uses(linesPlan(), 'score', 'pages')).toEqual([['Lines › fee', 'formula']]);
    expect(uses(linesPlan(), 'score', 'code')).toEqual([['Lines › score', 'comes from']]);
  });
});

describe('A7 where a plan names an option', () => {
  const graded = table('instrument', [
    column('name'),
    column('grade', {
      type: {
        kind: 'option',
        options: ['good', 'worn'].map((value) => ({ value, label: value })),
      },
    }),
  ]);
  const tables = houseOf([...lendingTables, ['instrument', graded] as const]);
  const narrowed = (value: string) =>
    planOf('instrument', [
      field('other', {
        choices: lookupOf('instrument', {
          conditions: [{ path: 'grade', operator: 'equal', values: [value] }],
        }),
      }),
    ]);

  it('is told for conditions that compare with it, and with no other', () => {
    const subject = { table: 'instrument', column: 'grade', option: 'worn' };
    expect(usesOf(narrowed('worn'), tables, subject)).toHaveLength(1);
    expect(usesOf(narrowed('good'), tables, subject)).toEqual([]);
  });

  it('is told for what a field begins with', () => {
    const subject = { table: 'instrument', column: 'grade', option: 'worn' };
    const begins = (initial: string) =>
      planOf('instrument', [field('grade', { savesTo: 'grade', initial })]);
    expect(usesOf(begins('worn'), tables, subject).map(({ field: label }) => label)).toEqual([
      'grade',
    ]);
    expect(usesOf(begins('good'), tables, subject)).toEqual([]);
  });
});
