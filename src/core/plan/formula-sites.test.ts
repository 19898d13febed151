import { describe, expect, it } from 'vitest';
import { z } from 'zod';
import { field, planOf } from '../../../tests/support/definitions';
import { lendingTables } from '../../../tests/support/lending';
import { longestFormula } from '../formula/syntax';
import { wireForm } from '../wiring/form';
import { formulaSites } from './formula-sites';
import { planSchema, type Plan } from './schema';

let made = 0;
const next = () => `1 + ${++made}`;

/** A plan with another formula at every place that can have one. */
function fullPlan(): Plan {
  const rules = () => ({
    computes: next(),
    initially: next(),
    shownWhen: next(),
    requiredWhen: next(),
    lockedWhen: next(),
    holds: { kind: 'whole' as const },
    checks: [{ holds: next(), message: `Not {${next()}} but {${next()}}` }],
  });
  const plan = planOf('loan', [field('fee', rules())]);
  const grid = { table: 'loan_line', link: 'loan', within: null, view: null };
  const lines = { key: 'lines', title: 'Lines', columns: 2, page: null } as const;
  const values = () => ({ [`v${made}`]: next() });
  return planSchema.parse({
    ...plan,
    sections: [
      ...plan.sections,
      {
        ...lines,
        fields: [field('copies', rules())],
        grid: { ...grid, shownWhen: next(), rowsWhen: next() },
      },
    ],
    writes: ['', 'lines'].map((each) => ({
      table: 'loan_line',
      each: each || null,
      record: next(),
      when: next(),
      values: { copies: next() },
    })),
    sends: [{ connection: 'desk', when: next(), values: values() }],
    mails: [{ when: next(), to: `{${next()}}, desk`, subject: `{${next()}}`, text: `{${next()}}` }],
    buttons: [
      {
        key: 'go',
        label: 'Go',
        when: next(),
        steps: [
          { do: 'set', field: 'fee', to: next() },
          { do: 'tell', connection: 'desk', values: values() },
          { do: 'open', form: 'other', carry: values() },
        ],
      },
    ],
  });
}

/** The names in the plan's document under which a formula can stand, by its schema. */
function placesOf(schema: unknown, name = ''): string[] {
  if (typeof schema !== 'object' || schema === null) return [];
  if ('maxLength' in schema && schema.maxLength === longestFormula) return [name];
  return Object.entries(schema).flatMap(([key, part]) => {
    if (key === 'properties' && typeof part === 'object' && part !== null) {
      return Object.entries(part).flatMap(([property, inner]) => placesOf(inner, property));
    }
    return placesOf(part, name);
  });
}

/** Every formula that stands in a part of a document, and the name under which it does. */
function written(part: unknown, name = ''): { name: string; source: string }[] {
  if (typeof part === 'string') {
    return [...part.matchAll(/1 \+ \d+/g)].map(([source]) => ({ name, source }));
  }
  if (typeof part !== 'object' || part === null) return [];
  return Object.entries(part).flatMap(([key, inner]) =>
    written(inner, Array.isArray(part) || /^(v\d+|copies)$/.test(key) ? name : key),
  );
}

describe('the one list of formulas', () => {
  it('has every formula of a plan once, whatever the schema lets one stand in', () => {
    const plan = fullPlan();
    const all = written(plan);
    const places = new Set(placesOf(z.toJSONSchema(planSchema, { io: 'input' })));
    expect(places.size).toBeGreaterThan(8);
    // The plan of this test has one at each place: a new place has to be added to it.
    const covered = new Set(all.map(({ name }) => name));
    expect([...places].filter((name) => !covered.has(name))).toEqual([]);
    const listed = formulaSites(plan, lendingTables).map(({ source }) => source);
    expect(listed.toSorted()).toEqual(all.map(({ source }) => source).toSorted());
  });

  it('says of each, when it gives something else than is wanted there, what that is', () => {
    const plan = fullPlan();
    const form = wireForm(plan, lendingTables);
    const wrong = form.findings.map(({ use }) => use.at);
    // A number is no condition and no record; as a value it is taken.
    expect(new Set(wrong)).toEqual(
      new Set([
        'shownWhen',
        'requiredWhen',
        'lockedWhen',
        'check',
        'grid',
        'write',
        'send',
        'mail',
        'button',
      ]),
    );
    const taken = form.formulas.map(({ wants }) => wants.is);
    expect(new Set(taken)).toEqual(new Set(['value', 'single', 'anything']));
    expect(taken.length + wrong.length).toBe(formulaSites(plan, lendingTables).length);
  });
});
