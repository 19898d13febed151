import { houseOf } from '../table/sources';
import Ajv from 'ajv/dist/2020';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoPlans } from '../../../demo/plans';
import { extra, field } from '../../../tests/support/definitions';
import { lendingPlan, lendingTables, linesPlan } from '../../../tests/support/lending';
import { longestPlanFile, planJsonSchema, readPlanFile, writePlanFile } from '../formats/plan-file';
import { examine } from '../wiring/examine';
import { wireForm } from '../wiring/form';
import { wholePlan, wholeTables } from '../../../tests/support/whole-plan';
import type { Picture, Total } from '../table/view';
import { comparePlans } from './compare';
import { addField, moveField, updateField } from './edit';
import { removeFields, renameColumn, renameField } from './rename';
import { planSchema, type Plan } from './schema';
import { fieldOf, fieldsOf } from './scopes';

const plan = lendingPlan({
  startsAt: 'copies',
  writes: [extra('copy_movement', { score: 'score', quantity: 'copies' }, { when: 'copies > 0' })],
});
const said = (after: Plan, before = plan) =>
  comparePlans(before, after, lendingTables).map(
    ({ kind, field: of, question, before: a, after: b }) =>
      [kind, of, question, a, b].filter((part) => part !== '').join(' | '),
  );

describe('G8 two plans are compared in words', () => {
  it('says nothing of plans that say the same', () => {
    expect(said(structuredClone(plan))).toEqual([]);
  });

  it.each<[string, Plan, string[]]>([
    [
      'a label',
      updateField(plan, 'note', { label: 'Remark' }),
      ['changed | Remark | label | note | Remark'],
    ],
    [
      'a formula',
      updateField(plan, 'fee', { computes: 'rate' }),
      ['changed | fee | comes from | = rate * copies * weeks · computed | = rate · computed'],
    ],
    ['a new field', addField(plan, field('extra')), ['added | extra']],
    ['a field gone', removeFields(plan, houseOf(), '', ['note']), ['removed | note']],
    ['one field moved', moveField(plan, 'weeks', 1), ['moved | weeks']],
    [
      'a rule',
      updateField(plan, 'note', { required: true }),
      ['changed | note | rules | locked when fee is empty | required · locked when fee is empty'],
    ],
    [
      'a key',
      renameField(
        updateField(plan, 'due_on', { initially: null }),
        lendingTables,
        'lent_on',
        'day',
      ),
      [
        'changed | lent_on | name in formulas | lent_on | day',
        'changed | due_on | rules | begins with = lent_on + @"P7D" * weeks',
      ],
    ],
    ['the title', { ...plan, title: 'Lend' }, ['changed | title | Form of loan | Lend']],
    [
      'a write',
      { ...plan, writes: [] },
      [
        'changed | written besides | copy_movement: score = score, quantity = copies, when copies > 0',
      ],
    ],
  ])('tells %s', (_, after, expected) => expect(said(after)).toEqual(expected));
});

/** Every plan in which one thing of it is said otherwise, with the place. */
function* otherwise(value: unknown, at = ''): Generator<[place: string, changed: unknown]> {
  if (Array.isArray(value)) {
    for (const [i, one] of value.entries())
      for (const [place, changed] of otherwise(one, `${at}[${i}]`))
        yield [place, value.with(i, changed)];
    if (value.length > 0) yield [`${at}[-]`, value.slice(0, -1)];
  } else if (typeof value === 'object' && value !== null) {
    for (const [key, one] of Object.entries(value))
      for (const [place, changed] of otherwise(one, `${at}.${key}`))
        yield [place, { ...value, [key]: changed }];
  } else if (typeof value === 'string') yield [at, `${value}x`];
  else if (typeof value === 'number') yield [at, value + 1];
  else if (typeof value === 'boolean') yield [at, !value];
}

describe('G8 nothing that a plan says changes in silence', () => {
  const plans = [...otherwise(wholePlan)].filter(
    ([, other]) => planSchema.safeParse(other).success,
  );
  it.each(plans)('%s', (_, changed) => {
    expect(comparePlans(wholePlan, changed as Plan, wholeTables)).not.toEqual([]);
  });

  it('says that there is more, besides what is told', () => {
    const [first, ...others] = wholePlan.sections;
    if (!first) throw new Error('no section');
    const changed = { ...first, page: 'Another page', folded: first.folded !== true };
    const after = { ...wholePlan, sections: [changed, ...others] };
    const questions = comparePlans(wholePlan, after, wholeTables).map(({ question }) => question);
    expect(questions).toEqual(['page', 'details']);
  });

  it('says what is summed, marked and drawn of lines', () => {
    const draw = (totals: Total[], picture: Picture | null): Plan => ({
      ...wholePlan,
      sections: wholePlan.sections.map((section) =>
        section.grid && section.key === 'lines'
          ? { ...section, grid: { ...section.grid, totals, picture } }
          : section,
      ),
    });
    const sum: Total = { column: 'kind', kind: 'greatest' };
    const changes = comparePlans(
      draw([], null),
      draw([sum], { by: 'loan', total: sum }),
      wholeTables,
    );
    expect(changes.map(({ question, before, after }) => [question, before, after])).toEqual([
      ['totals', '', 'kind greatest'],
      ['picture', '', 'kind greatest by loan'],
    ]);
  });
});

describe('G4 renaming never breaks what refers to it', () => {
  it('carries a key through narrowings, rollups, brings, formulas, messages and writes', () => {
    const renamed = renameField(plan, lendingTables, 'copies', 'number_of_copies');
    expect(examine(renamed, lendingTables)).toEqual([]);
    expect(fieldOf(renamed, 'fee')?.computes).toBe('rate * number_of_copies * weeks');
    expect(fieldOf(renamed, 'number_of_copies')?.checks[0]).toEqual({
      holds: 'number_of_copies <= on_hand',
      message: '{number_of_copies} asked, {on_hand} on hand.',
    });
    expect(renamed.writes[0]).toMatchObject({
      when: 'number_of_copies > 0',
      values: { quantity: 'number_of_copies' },
    });
    expect(renamed.startsAt).toBe('number_of_copies');
    const score = renameField(plan, lendingTables, 'score', 'work');
    expect(fieldOf(score, 'received')?.rollup?.narrowings[0]?.field).toBe('work');
    const town = renameField(plan, lendingTables, 'town', 'place');
    expect(fieldOf(town, 'ensemble')?.choices).toMatchObject({
      narrowings: [{ path: 'town', field: 'place' }],
    });
  });

  it('leaves texts, variables and columns of the same name alone', () => {
    const odd = updateField(plan, 'note', {
      lockedWhen: null,
      initially: 'if weeks > 1 and (some weeks in [1] satisfies weeks = 1) then "weeks" else null',
    });
    const renamed = renameField(odd, lendingTables, 'weeks', 'duration');
    expect(fieldOf(renamed, 'note')?.initially).toBe(
      'if duration > 1 and (some weeks in [1] satisfies weeks = 1) then "weeks" else null',
    );
  });

  it('reaches rows from the form, and the form from rows', () => {
    const renamed = renameField(linesPlan(), lendingTables, 'weeks', 'duration');
    const fee = renamed.sections[1]?.fields.find((f) => f.key === 'fee');
    expect(fee?.computes).toBe('copies * parent.duration * score.pages / 100');
    expect(examine(renamed, lendingTables)).toEqual([]);
  });

  it('refuses a key that is taken or none', () => {
    for (const to of ['weeks', 'Weeks!', '', 'copies']) {
      expect(renameField(plan, lendingTables, 'copies', to)).toBe(plan);
    }
  });

  it('carries a column through every path and formula that crosses its table', () => {
    const reading = updateField(plan, 'note', { initially: 'ensemble.town.name' });
    const renamed = renameColumn(reading, lendingTables, 'town', 'name', 'title');
    expect(fieldOf(renamed, 'note')?.initially).toBe('ensemble.town.title');
    expect(fieldOf(renamed, 'town')?.choices).toMatchObject({
      shown: ['title'],
      order: [{ path: 'title' }],
    });
    expect(fieldOf(renamed, 'region')?.choices).toMatchObject({ shown: ['name'] });
    const quantity = renameColumn(plan, lendingTables, 'copy_movement', 'quantity', 'pieces');
    expect(fieldOf(quantity, 'lent')?.rollup?.path).toBe('pieces');
    expect(quantity.writes[0]?.values).toEqual({ score: 'score', pieces: 'copies' });
  });

  it('comes back to the same plan when renamed back, whichever field it is', () => {
    const keys = fieldsOf(plan).map((f) => f.key);
    fc.assert(
      fc.property(fc.constantFrom(...keys), (key) => {
        const there = renameField(plan, lendingTables, key, 'another_key');
        expect(wireForm(there, lendingTables).findings).toEqual([]);
        expect(renameField(there, lendingTables, 'another_key', key)).toEqual(plan);
      }),
      { numRuns: 60 },
    );
  });
});

describe('K3 plans go out and come in as files', () => {
  it('unchanged', () => {
    for (const known of [plan, linesPlan(), ...Object.values(demoPlans)]) {
      expect(readPlanFile(writePlanFile(known))).toEqual({ plan: known, rehearsals: [] });
    }
  });

  it('under a JSON Schema that an independent validator agrees with', () => {
    const validate = new Ajv({ strict: false }).compile(planJsonSchema());
    for (const known of Object.values(demoPlans)) expect(validate(known)).toBe(true);
    expect(validate({ ...plan, surprise: 1 })).toBe(false);
    expect(validate({ ...plan, format: 2 })).toBe(false);
  });

  it.each<[string, unknown, string]>([
    ['unknown keys', { ...plan, script: 'x' }, 'Unrecognized key'],
    ['a newer format', { ...plan, format: 9 }, 'newer than 1'],
    ['no title', { ...plan, title: ' ' }, 'title'],
    [
      'a path that is none',
      updateField(plan, 'lent', { rollup: { table: 'a b' } as never }),
      'rollup.table',
    ],
    [
      '5,000 fields',
      {
        ...plan,
        sections: Array.from({ length: 5 }, (_, i) => ({
          key: `s${i}`,
          title: '',
          columns: 1,
          fields: Array.from({ length: 1000 }, (_, k) => ({
            key: `f${i}_${k}`,
            label: 'x',
            savesTo: null,
          })),
        })),
      },
      '5000 fields',
    ],
  ])('refuses %s with its place', (_, given, reason) => {
    const read = readPlanFile(JSON.stringify(given));
    const messages = 'problems' in read ? read.problems.map((p) => p.message).join() : 'taken';
    expect(messages).toContain(reason);
  });

  it('refuses what is no JSON or far too long, and takes a script in a label as plain text', () => {
    expect(readPlanFile('{')).toHaveProperty('problems');
    expect(readPlanFile(' '.repeat(longestPlanFile + 1))).toHaveProperty('problems');
    const label = '<script>alert(1)</script>';
    const read = readPlanFile(writePlanFile(updateField(plan, 'note', { label })));
    expect('plan' in read && fieldOf(read.plan, 'note')?.label).toBe(label);
  });
});
