import { describe, expect, it } from 'vitest';
import { field, lookupOf, planOf } from '../../../tests/support/definitions';
import { lendingTables } from '../../../tests/support/lending';
import { planSave } from '../entry/all-problems';
import { Entry } from '../entry/entry';
import { wireForm } from '../wiring/form';
import { readsOutside, sourceOf } from '../wiring/wired';
import type { Choices } from './choices';
import { listSource, sourcesOf } from './source';

const by = { path: 'region', operator: 'equal', field: 'region', whileEmpty: 'nothing' } as const;
const given = [
  { parameter: 'district', field: 'region', optional: false },
  { parameter: 'kind', field: 'kind', optional: true },
];

describe('B1 choices come from four places, and each says of itself what whoever asks needs to know', () => {
  it.each<[string, Choices, object | null]>([
    ['values typed into the form', { kind: 'values', values: [] }, null],
    [
      'an option list',
      { kind: 'options', list: 'kinds', by: 'region' },
      { from: 'options', awaits: [{ field: 'region' }], whenFailed: 'stops' },
    ],
    [
      'a table',
      lookupOf('town', { narrowings: [by], takeOnly: true }),
      { from: 'table', awaits: [{ field: 'region', whileEmpty: 'nothing' }], takeOnly: true },
    ],
    [
      'a query on an outside system',
      { kind: 'outside', query: 'towns', stores: 'code', shown: [], given, takeOnly: false },
      {
        from: 'outside',
        awaits: [
          { field: 'region', whileEmpty: 'nothing' },
          { field: 'kind', whileEmpty: 'everything' },
        ],
        whenFailed: 'absent',
      },
    ],
  ])('%s', (_, choices, source) => {
    if (source === null) expect(listSource(choices)).toBeNull();
    else expect(listSource(choices)).toMatchObject(source);
  });

  it('a value and the columns of a chosen record do, too', () => {
    const rollup = {
      table: 'copy_movement',
      aggregate: 'sum',
      path: 'quantity',
      conditions: [],
      narrowings: [{ ...by, path: 'score', field: 'score' }],
    } as const;
    const rolled = sourcesOf(
      field('n', {
        rollup: { ...rollup, conditions: [], less: [], narrowings: [...rollup.narrowings] },
      }),
      { kind: 'whole' },
    );
    expect(rolled).toMatchObject({ list: null, value: { from: 'table' }, record: null });
    const outside = { query: 'price', column: 'price', given };
    expect(sourcesOf(field('p', { outside }), { kind: 'whole' })).toMatchObject({
      value: { from: 'outside', whenFailed: 'absent' },
    });
    const lookup = sourcesOf(field('t', { choices: lookupOf('town') }), {
      kind: 'reference',
      table: 'town',
    });
    expect(lookup).toMatchObject({
      list: { from: 'table' },
      record: { from: 'table', awaits: [] },
    });
  });

  it('a typed key is looked up in the list', () => {
    const plan = planOf('loan', [field('town', { choices: lookupOf('town') })]);
    const wired = wireForm(plan, lendingTables).fields.get('town');
    expect(wired && sourceOf(wired, 'key')).toBe(wired?.sources.list);
    expect(wired && readsOutside(wired)).toBe(false);
  });
});

describe('C6 fields that only narrow are not stored', () => {
  it('they are worked with like any other, and nothing of them is written', () => {
    const plan = planOf('loan', [
      field('region', { choices: lookupOf('region') }),
      field('town', { choices: lookupOf('town', { narrowings: [by] }) }),
      field('note', { savesTo: 'note' }),
    ]);
    const entry = new Entry(wireForm(plan, lendingTables));
    entry.set('region', 1, { value: 1, shown: ['Region 1'] });
    entry.type('note', 'kept');
    // What it narrows waits for it no more.
    expect(entry.choices('town').status).not.toBe('waiting');
    const [written, ...more] = planSave(entry).writes;
    expect(more).toEqual([]);
    expect(written?.values).toEqual({ note: 'kept' });
  });
});
