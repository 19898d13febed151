import { houseOf } from '../table/sources';
import { describe, expect, it } from 'vitest';
import {
  column,
  field,
  loanPlan,
  lookupOf,
  planOf,
  reference,
  table,
  sighted,
} from '../../../tests/support/definitions';
import type { Column } from '../table/definition';
import { checkup } from './checkup';
import { draftPlan } from './draft';
import { addField, addSection, arrangeFields, moveField, removeSection, updateField } from './edit';
import { removeFields } from './rename';
import { copyFields } from './copy';
import { planSchema, type Plan } from './schema';
import { fieldOf, fieldsOf } from './scopes';
import { tableChoices } from './choices';
import { narrowedPhrase, rulesPhrase, savesPhrase, sourcePhrase } from './words';

const loan = table('loan', [
  reference('ensemble', 'ensemble', { required: true }),
  column('number'),
  column('lent_on', { type: { kind: 'date' } }),
]);
const tables = houseOf(
  [
    table('region', [column('name')]),
    table('town', [column('name'), reference('region')]),
    table('ensemble', [column('name'), column('code'), reference('town')]),
    loan,
  ].map((t) => [t.key, t] as const),
);
const keys = (plan: Plan) => fieldsOf(plan).map((f) => f.key);

describe('G2 a form is drafted from a table', () => {
  it('has a field per column, and a lookup per reference', () => {
    const plan = draftPlan(loan, tables);
    expect(planSchema.parse(plan)).toEqual(plan);
    expect(keys(plan)).toEqual(['ensemble', 'number', 'lent_on']);
    expect(fieldOf(plan, 'ensemble')).toMatchObject({
      required: true,
      savesTo: 'ensemble',
      choices: { kind: 'table', table: 'ensemble', shown: ['name'], stores: { kind: 'link' } },
    });
    expect(checkup(plan, tables)).toEqual([]);
  });
});

describe('G4 edits are pure and keep the wiring whole', () => {
  const plan = loanPlan();

  it('removes a field together with the narrowings by it', () => {
    const edited = removeFields(plan, houseOf(), '', ['region']);
    expect(keys(edited)).not.toContain('region');
    const town = fieldOf(edited, 'town');
    expect(town && tableChoices(town)?.narrowings).toEqual([]);
    expect(keys(plan)).toContain('region');
  });

  it('moves across sections and comes back', () => {
    const two = addSection(plan, 'Second');
    const down = moveField(two, 'lent_on', 1);
    expect(down.sections.map((s) => s.fields.length)).toEqual([4, 1]);
    expect(moveField(down, 'lent_on', -1)).toEqual(two);
    expect(moveField(plan, 'region', -1)).toBe(plan);
  });

  it('copies with the wiring, but does not save twice', () => {
    const { plan: copied, copies } = copyFields(plan, tables, '', ['ensemble']);
    const [copy = ''] = copies;
    expect(keys(copied)).toEqual(['region', 'town', 'ensemble', copy, 'number', 'lent_on']);
    expect(fieldOf(copied, copy)).toMatchObject({
      savesTo: null,
      choices: fieldOf(plan, 'ensemble')?.choices,
    });
  });

  it('arranges, adds behind, and merges sections without losing a field', () => {
    const order = ['town', 'region', 'ensemble', 'lent_on', 'number'];
    expect(keys(arrangeFields(plan, 'main', order))).toEqual(order);
    expect(keys(addField(plan, field('x'), { behind: 'region' }))[1]).toBe('x');
    const merged = removeSection(moveField(addSection(plan, 'Second'), 'lent_on', 1), 'second');
    expect(keys(merged).sort()).toEqual(keys(plan).sort());
  });
});

describe('G6 the checkup says where, what and how to fix it', () => {
  const found = (plan: Plan) => checkup(plan, tables).map((f) => `${f.field}:${f.problem.code}`);
  const changed = (key: string, more: object) => updateField(loanPlan(), key, more);

  it('offers the column that can be compared, where a narrowing cannot', () => {
    const narrowed = changed('town', {
      choices: lookupOf('town', {
        narrowings: [{ path: 'name', operator: 'equal', field: 'region', whileEmpty: 'nothing' }],
      }),
    });
    const { fix } =
      checkup(narrowed, tables).find((f) => f.problem.code === 'narrowing_types') ?? {};
    expect(fix?.label).toBe('Use region');
    const mended = fix?.apply(narrowed);
    expect(mended && found(mended)).toEqual([]);
  });

  it('finds nothing in a sound plan', () => {
    expect(found(loanPlan())).toEqual([]);
  });

  it.each<[string, Plan, string]>([
    ['a table that is gone', planOf('gone', []), 'null:unknown_table'],
    ['a column that is gone', changed('number', { savesTo: 'gone' }), 'number:saves_to_missing'],
    ['a column written twice', changed('number', { savesTo: 'lent_on' }), 'lent_on:saves_twice'],
    [
      'choices from no table',
      changed('region', { choices: lookupOf('gone') }),
      'region:choices_table_missing',
    ],
    [
      'a shown column that is gone',
      changed('region', { choices: lookupOf('region', { shown: ['x'] }) }),
      'region:choices_path_missing',
    ],
    [
      'links once each',
      changed('region', { choices: lookupOf('region', { distinct: true }) }),
      'region:distinct_needs_copy',
    ],
    [
      'what does not fit',
      changed('lent_on', { choices: lookupOf('region') }),
      'lent_on:saves_wrong_type',
    ],
    [
      'a required column without a field',
      removeFields(loanPlan(), houseOf(), '', ['ensemble']),
      'null:required_unwritten',
    ],
    [
      'a default of another type',
      changed('lent_on', { initial: 'soon' }),
      'lent_on:default_wrong_type',
    ],
    [
      'a default that is not offered',
      changed('number', { choices: { kind: 'values', values: [] }, initial: 'x' }),
      'number:default_not_offered',
    ],
    ['a label twice', changed('number', { label: 'town' }), 'number:label_twice'],
    ['a field that nothing reads', addField(loanPlan(), field('idle')), 'idle:nothing_reads'],
    [
      'unlike compared with unlike',
      changed('town', {
        choices: lookupOf('town', {
          narrowings: [{ path: 'name', operator: 'equal', field: 'region', whileEmpty: 'nothing' }],
        }),
      }),
      'town:narrowing_types',
    ],
    [
      'narrowed by no field',
      changed('town', {
        choices: lookupOf('town', {
          narrowings: [{ path: 'region', operator: 'equal', field: 'gone', whileEmpty: 'nothing' }],
        }),
      }),
      'town:narrowing_field_missing',
    ],
  ])('%s', (_, plan, expected) => {
    expect(found(plan)).toContain(expected);
  });

  it('mends what it can: each fix takes its finding away', () => {
    const broken = changed('number', { savesTo: 'gone', initial: null });
    const plans = [
      broken,
      removeFields(loanPlan(), houseOf(), '', ['ensemble']),
      changed('lent_on', { initial: 'soon' }),
    ];
    for (const plan of plans) {
      const finding = checkup(plan, tables).find((f) => f.level === 'problem');
      expect(finding?.fix).toBeDefined();
      const mended = finding?.fix?.apply(plan) ?? plan;
      const left = checkup(mended, tables).map((f) => f.problem.code);
      expect(left).not.toContain(finding?.problem.code);
    }
  });
});

describe('a plan from outside is read strictly', () => {
  it.each<[string, unknown]>([
    ['a newer format', { ...loanPlan(), format: 2 }],
    ['an unknown key', { ...loanPlan(), script: 'x' }],
    ['no section', { ...loanPlan(), sections: [] }],
    ['a key that is none', updateField(loanPlan(), 'town', { savesTo: 'a b; drop' })],
  ])('%s is refused', (_, given) => {
    expect(planSchema.safeParse(given).success).toBe(false);
  });
});

describe('the cells of the plan sheet speak in short phrases', () => {
  const plan = loanPlan();
  const cell = (key: string) => {
    const of = fieldOf(plan, key);
    if (!of) throw new Error(key);
    return of;
  };

  const seen = sighted(plan, tables);

  it('says source, narrowing, rules and target', () => {
    const counts = new Map([['town', 96]]);
    expect(sourcePhrase(seen, cell('town'), tables, counts)).toEqual({
      main: 'town: name',
      more: '96 · by name',
    });
    expect(narrowedPhrase(seen, cell('town'), tables).main).toBe('region');
    expect(rulesPhrase(seen, cell('ensemble'), tables).main).toBe('required, take the only one');
    expect(savesPhrase(seen, cell('region'), tables).main).toBe('not saved');
    expect(savesPhrase(seen, cell('lent_on'), tables)).toEqual({ main: 'lent_on', more: 'date' });
  });

  it('says what is gone instead of hiding it', () => {
    const lost: Column[] = [];
    const without = houseOf([...tables, ['loan', { ...loan, columns: lost }]]);
    expect(savesPhrase(seen, cell('number'), without).main).toBe('number?');
  });
});
