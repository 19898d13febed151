import { houseOf } from '../table/sources';
import { describe, expect, it } from 'vitest';
import {
  column,
  field,
  lookupOf,
  planOf,
  reference,
  table,
} from '../../../tests/support/definitions';
import type { Table, House } from '../table/definition';
import { examine } from '../wiring/examine';
import { proposeCascades, withCascades, type Known } from './cascade';
import { type Plan } from './schema';
import { fieldsOf } from './scopes';
import { tableChoices } from './choices';

const tables: House = houseOf(
  [
    table('region', [column('name')]),
    table('town', [column('name'), reference('region', 'region', { required: true })]),
    table('ensemble', [
      column('name'),
      reference('town', 'town', { required: true }),
      reference('rival', 'ensemble'),
    ]),
    table('part', [column('category'), column('article'), column('gauge'), column('name')]),
    table('loan', [reference('ensemble'), reference('part')]),
  ].map((one): [string, Table] => [one.key, { ...one, title: one.key }]),
);
const plan = planOf('loan', [
  field('ensemble', { savesTo: 'ensemble', choices: lookupOf('ensemble') }),
]);
const known = (more: Partial<Known> = {}): Known => ({
  records: new Map([
    ['region', 8],
    ['town', 96],
    ['ensemble', 420],
    ['part', 360],
  ]),
  dependencies: new Map(),
  ...more,
});
const narrowing = (of: Plan) =>
  fieldsOf(of).map(({ key, choices }) => [
    key,
    choices?.kind === 'table' ? choices.narrowings.map(({ path, field: by }) => [path, by]) : [],
  ]);

describe('G3 a cascade proposed along references', () => {
  it('says why, and narrows field after field when it is taken', () => {
    const [cascade, ...others] = proposeCascades(plan, tables, known());
    expect(others).toEqual([]);
    expect(cascade).toMatchObject({
      field: 'ensemble',
      title: 'region → town → ensemble',
      adds: 2,
      exceptions: [],
      evidence: [
        'each of 420 records of ensemble has one town (96)',
        'each of 96 records of town has one region (8)',
      ],
    });
    const taken = cascade?.apply(plan) ?? plan;
    expect(narrowing(taken)).toEqual([
      ['region', []],
      ['town', [['region', 'region']]],
      ['ensemble', [['town', 'town']]],
    ]);
    expect(examine(taken, tables).filter(({ level }) => level === 'problem')).toEqual([]);
  });

  it('stops where a table is not much smaller than the one before', () => {
    const records = new Map([...known().records, ['region', 60]]);
    const [cascade] = proposeCascades(plan, tables, known({ records }));
    expect(cascade?.title).toBe('town → ensemble');
  });

  it('says what speaks against the reference there is, and is not taken unasked then', () => {
    const records = new Map([...known().records, ['ensemble', 12]]);
    const [short] = proposeCascades(plan, tables, known({ records }));
    expect(short).toMatchObject({
      title: 'town → ensemble',
      exceptions: ['ensemble holds only 12 records'],
    });
    expect(withCascades(plan, tables, known({ records }))).toEqual(plan);
    const loan = planOf('loan_line', [field('loan', { choices: lookupOf('loan') })]);
    const loans = known({ records: new Map([...known().records, ['loan', 500]]) });
    const [loose] = proposeCascades(loan, tables, loans);
    expect(loose).toMatchObject({
      title: 'ensemble → loan',
      exceptions: [
        'records of loan whose ensemble is empty would not be offered',
        'it narrows little',
      ],
      evidence: ['each of 500 records of loan has at most one ensemble (420)'],
    });
    expect(narrowing(loose?.apply(loan) ?? loan)).toEqual([
      ['ensemble', []],
      ['loan', [['ensemble', 'ensemble']]],
    ]);
  });

  it('is not proposed for a list that is narrowed already', () => {
    const [cascade] = proposeCascades(plan, tables, known());
    const taken = cascade?.apply(plan) ?? plan;
    expect(proposeCascades(taken, tables, known()).map((c) => c.field)).not.toContain('ensemble');
  });

  it('takes keys that are free', () => {
    const busy = planOf('loan', [field('town'), ...fieldsOf(plan)]);
    const [cascade] = proposeCascades(busy, tables, known());
    expect(narrowing(cascade?.apply(busy) ?? busy).map(([key]) => key)).toEqual([
      'town',
      'region',
      'town_2',
      'ensemble',
    ]);
  });
});

describe('G3 a cascade proposed along the columns of one flat table', () => {
  const flat = planOf('loan', [field('part', { savesTo: 'part', choices: lookupOf('part') })]);
  type Dependency = NonNullable<ReturnType<Known['dependencies']['get']>>[number];
  const depends = (from: string, to: string, more: Partial<Dependency> = {}): Dependency => ({
    from,
    to,
    fromValues: 40,
    toValues: 6,
    exceptions: [],
    ...more,
  });
  const article = depends('article', 'category');
  const gauge = depends('gauge', 'article', { fromValues: 120, toValues: 40 });
  const withData = (...found: Dependency[]) => known({ dependencies: new Map([['part', found]]) });

  it('narrows by distinct values, each by all before it', () => {
    const [cascade] = proposeCascades(flat, tables, withData(article, gauge));
    expect(cascade?.title).toBe('category → article → gauge → part');
    const taken = cascade?.apply(flat) ?? flat;
    expect(narrowing(taken)).toEqual([
      ['category', []],
      ['article', [['category', 'category']]],
      [
        'gauge',
        [
          ['category', 'category'],
          ['article', 'article'],
        ],
      ],
      [
        'part',
        [
          ['category', 'category'],
          ['article', 'article'],
          ['gauge', 'gauge'],
        ],
      ],
    ]);
    const [first] = fieldsOf(taken);
    expect(first && tableChoices(first)).toMatchObject({
      distinct: true,
      stores: { kind: 'copy', column: 'category' },
    });
    expect(examine(taken, tables).filter(({ level }) => level === 'problem')).toEqual([]);
  });

  it('tells the few values that speak against it, and is not taken by itself then', () => {
    const doubtful = { ...article, exceptions: [{ value: 'bow', others: ['strings', 'winds'] }] };
    const [cascade] = proposeCascades(flat, tables, withData(doubtful));
    expect(cascade?.exceptions).toEqual([
      'article “bow” has “strings” and “winds”: an error in the data?',
    ]);
    expect(withCascades(flat, tables, withData(doubtful))).toEqual(flat);
    expect(fieldsOf(withCascades(flat, tables, withData(article)))).toHaveLength(3);
  });

  it('is not made of columns that are no text', () => {
    const other = withData(depends('article', 'gone'));
    expect(proposeCascades(flat, tables, other)).toEqual([]);
  });
});
