import { houseOf } from '../table/sources';
import { describe, expect, it } from 'vitest';
import { extra, field, lookupOf, planOf, sighted } from '../../../tests/support/definitions';
import { lendingPlan, lendingTables, linesPlan } from '../../../tests/support/lending';
import { completions } from '../formula/completion';
import { updateField } from '../plan/edit';
import { removeFields } from '../plan/rename';
import { bringsPhrase, rulesPhrase, sourcePhrase } from '../plan/words';
import { planSchema, type Field, type Plan } from '../plan/schema';
import { fieldOf } from '../plan/scopes';
import { examine, wiredDraft } from './examine';
import { wireForm } from './form';

const found = (plan: Plan) =>
  examine(plan, lendingTables).map(
    ({ level, field: key, problem }) => `${level} ${key}:${problem.code}`,
  );
const change = (key: string, changed: Partial<Omit<Field, 'key'>>) =>
  updateField(lendingPlan(), key, changed);
const bring = { path: 'rate', by: null, into: null, keeps: 'live', editable: false } as const;
const counted = {
  table: 'copy_movement',
  aggregate: 'sum',
  path: 'quantity',
  conditions: [],
  narrowings: [],
} as const;

describe('G6 the checkup of what follows from what', () => {
  it('finds nothing in sound plans', () => {
    expect(found(lendingPlan())).toEqual([]);
    expect(found(linesPlan())).toEqual([]);
  });

  it.each<[string, Plan, string]>([
    [
      'a formula over a deleted column',
      change('fee', { computes: 'ensemble.discount' }),
      'problem fee:formula_unknown_member',
    ],
    [
      'a formula that gives another type',
      change('due_on', { initially: 'weeks' }),
      'problem due_on:formula_result',
    ],
    [
      'a rule that is no condition',
      change('note', { lockedWhen: 'fee' }),
      'problem note:formula_wrong_kind',
    ],
    [
      'a message with a mistake',
      change('copies', { checks: [{ holds: 'copies > 0', message: '{copis}' }] }),
      'problem copies:formula_unknown_name',
    ],
    [
      'a circle',
      change('rate', { computes: 'fee * 2', holds: { kind: 'decimal', precision: 9, scale: 2 } }),
      'problem null:cycle',
    ],
    [
      'a value from two places',
      change('rate', { rollup: { ...counted, conditions: [], less: [], narrowings: [] } }),
      'problem rate:value_twice',
    ],
    [
      'a bring without a record',
      change('note', { brings: [bring] }),
      'problem note:bring_without_record',
    ],
    [
      'a bring of a deleted column',
      change('ensemble', { brings: [{ ...bring, path: 'fax' }] }),
      'problem ensemble:bring_path_missing',
    ],
    [
      'a bring into nothing',
      change('ensemble', { brings: [{ ...bring, into: 'gone' }] }),
      'problem ensemble:bring_into_missing',
    ],
    [
      'a bring that does not fit',
      change('ensemble', { brings: [{ ...bring, path: 'contact', into: 'lent_on' }] }),
      'problem ensemble:bring_types',
    ],
    [
      'a bring whose column nobody says',
      change('ensemble', { brings: [{ ...bring, path: null, by: 'note' }] }),
      'problem ensemble:bring_by_missing',
    ],
    [
      'columns of no record',
      change('note', { choices: { kind: 'columns', of: 'weeks', paths: ['x'] } }),
      'problem note:columns_of_missing',
    ],
    [
      'a rollup of a missing table',
      change('lent', {
        rollup: { ...counted, table: 'gone', conditions: [], less: [], narrowings: [] },
      }),
      'problem lent:rollup_table_missing',
    ],
    [
      'a rollup of a missing column',
      change('lent', {
        rollup: { ...counted, path: 'gone', conditions: [], less: [], narrowings: [] },
      }),
      'problem lent:rollup_path_missing',
    ],
    [
      'a sum of texts',
      change('lent', {
        rollup: { ...counted, path: 'kind', conditions: [], less: [], narrowings: [] },
      }),
      'problem lent:rollup_not_number',
    ],
    [
      'a key that may stand twice',
      change('score', { choices: lookupOf('score', { typedBy: 'name' }) }),
      'hint score:typed_by_not_unique',
    ],
    [
      'a key of a missing column',
      change('score', { choices: lookupOf('score', { typedBy: 'isbn' }) }),
      'problem score:typed_by_missing',
    ],
    [
      'a cursor that starts nowhere',
      lendingPlan({ startsAt: 'gone' }),
      'problem null:starts_at_missing',
    ],
    [
      'a write to a missing table',
      lendingPlan({ writes: [extra('gone', {})] }),
      'problem null:write_table_missing',
    ],
    [
      'a write to a missing column',
      lendingPlan({
        writes: [extra('score', { isbn: '"x"' })],
      }),
      'problem null:write_column_missing',
    ],
    [
      'a write of another type',
      lendingPlan({
        writes: [extra('score', { pages: '"x"' })],
      }),
      'problem null:formula_result',
    ],
    [
      'a field that is never shown',
      change('note', { shownWhen: 'false' }),
      'hint note:never_shown',
    ],
    [
      'distinct values of a unique column',
      change('note', {
        choices: lookupOf('score', { stores: { kind: 'copy', column: 'code' }, distinct: true }),
      }),
      'hint note:distinct_unique',
    ],
    [
      'a working field that nothing reads',
      planOf('loan', [field('idle')]),
      'hint idle:nothing_reads',
    ],
  ])('finds %s', (_, plan, expected) => expect(found(plan)).toContain(expected));

  it('finds a copy that is longer than its column', () => {
    const loan = lendingTables.get('loan');
    if (!loan) throw new Error('no loan');
    const type = { kind: 'text', format: 'plain', length: 10 } as const;
    const columns = loan.columns.map((c) => (c.key === 'note' ? { ...c, type } : c));
    const short = houseOf([...lendingTables, ['loan', { ...loan, columns }]]);
    const stores = { kind: 'copy', column: 'name' } as const;
    const plan = change('note', { choices: lookupOf('score', { stores }), lockedWhen: null });
    const codes = examine(plan, short).map((f) => f.problem.code);
    expect(codes).toContain('copy_too_long');
  });

  it('finds a grid that does not hang on the form', () => {
    const plan = linesPlan();
    const sections = plan.sections.map((s) =>
      s.grid ? { ...s, grid: { ...s.grid, link: 'score' } } : s,
    );
    expect(found({ ...plan, sections })).toContain('problem null:grid_link_missing');
  });

  it('offers a fix that mends it', () => {
    const untyped = planOf('loan', [
      field('weeks', { savesTo: 'weeks' }),
      field('days', { computes: 'weeks * 7' }),
    ]);
    const [first] = examine(untyped, lendingTables);
    expect(first?.problem.message).toBe(
      'days, computed: The formula gives a number; days holds short text (255).',
    );
    expect(found(first?.fix?.apply(untyped) ?? untyped)).toEqual([]);
    const dangling = change('ensemble', { brings: [{ ...bring, path: 'fax' }] });
    const [gone] = examine(dangling, lendingTables);
    expect(found(gone?.fix?.apply(dangling) ?? dangling)).not.toContain(
      'problem ensemble:bring_path_missing',
    );
  });

  it('a removed field takes what needs it along', () => {
    const plan = removeFields(lendingPlan({ startsAt: 'contact' }), houseOf(), '', ['contact']);
    expect(fieldOf(plan, 'ensemble')?.brings.map((b) => b.into)).toEqual([null, 'rate', 'email']);
    expect(plan.startsAt).toBeNull();
    const unrolled = removeFields(lendingPlan(), houseOf(), '', ['score']);
    expect(fieldOf(unrolled, 'lent')?.rollup?.narrowings).toEqual([]);
  });

  it('a plan written before brings and formulas is still one', () => {
    const old = {
      format: 1,
      title: 'Old',
      table: 'loan',
      sections: [
        {
          key: 'main',
          title: '',
          columns: 2,
          fields: [{ key: 'note', label: 'Note', savesTo: 'note' }],
        },
      ],
    };
    expect(planSchema.parse(old).sections[0]?.fields[0]).toMatchObject({
      brings: [],
      computes: null,
      shows: 'input',
    });
  });
});

describe('R5 a draft that cannot be wired', () => {
  it('is said so, with its sheet still to be shown', () => {
    const plan = lendingPlan();
    const away = houseOf(lendingTables, lendingTables);
    away.get = () => {
      throw new RangeError('out of reach');
    };
    const { form, findings } = wiredDraft(plan, away);
    expect(form).toBeNull();
    expect(findings.map(({ problem }) => problem.code)).toEqual(['draft_unwired']);
    expect(findings[0]?.problem.message).toContain('out of reach');
    expect(wiredDraft(plan, lendingTables)).toEqual({
      form: expect.anything() as unknown,
      findings: examine(plan, lendingTables),
    });
  });
});

describe('the plan sheet says it in short phrases', () => {
  const plan = lendingPlan({ startsAt: 'copies' });
  const seen = sighted(plan, lendingTables);
  const cell = (key: string) => fieldOf(plan, key) ?? field(key);

  it('where a value comes from', () => {
    const counts = new Map([['copy_movement', 3]]);
    expect(sourcePhrase(seen, cell('fee'), lendingTables, counts)).toEqual({
      main: '= rate * copies * weeks',
      more: 'computed',
    });
    expect(sourcePhrase(seen, cell('lent'), lendingTables, counts)).toEqual({
      main: 'sum of quantity',
      more: 'copy_movement, 3 · kind is lent',
    });
    expect(sourcePhrase(seen, cell('contact'), lendingTables, counts)).toEqual({
      main: 'contact of ensemble',
      more: 'brought, as it was when chosen, editable',
    });
  });

  it('what is brought, and which rules hold', () => {
    expect(bringsPhrase(seen, cell('ensemble'), lendingTables)).toEqual({
      main: 'region',
      more: 'rate → rate, contact → contact, email → email',
    });
    expect(rulesPhrase(seen, cell('copies'), lendingTables)).toEqual({
      main: '2 checks',
      more: 'begins with 1 · the cursor starts here',
    });
    expect(rulesPhrase(seen, cell('reason'), lendingTables)).toEqual({
      main: 'shown when weeks is more than 8',
      more: 'required when weeks is more than 8',
    });
  });
});

describe('a formula is completed while it is typed', () => {
  const names = (plan: Plan, scope = '') => {
    const known = wireForm(plan, lendingTables).names.get(scope);
    if (!known) throw new Error('no names');
    return known;
  };
  const offered = (source: string, plan = lendingPlan(), scope = '') =>
    completions(names(plan, scope), source, source.length)?.words.map((word) => word.label) ?? null;

  it('by fields and functions, by columns behind a point, through references', () => {
    expect(offered('we')).toEqual(expect.arrayContaining(['weeks', 'week of year', 'person']));
    expect(offered('1 + ensemble.')).toEqual(
      expect.arrayContaining(['name', 'town', 'rate', 'id']),
    );
    expect(offered('ensemble.town.region.na')).toEqual(expect.arrayContaining(['name']));
    expect(completions(names(lendingPlan()), 'fee + ensemble.to', 17)?.from).toBe(15);
  });

  it('by the columns of rows, and by the form from within them', () => {
    expect(offered('sum(lines.', linesPlan())).toEqual(['score', 'copies', 'fee', 'share']);
    expect(offered('parent.', linesPlan(), 'lines')).toEqual(
      expect.arrayContaining(['weeks', 'total', 'lines']),
    );
  });

  it('not inside of a text, nor where nothing is known', () => {
    expect(offered('"we')).toBeNull();
    expect(offered('weeks.')).toBeNull();
  });
});

describe('L4 a list that is offered whole, whoever fills the form in', () => {
  const everyone = (more: object) => {
    const choices = { ...lookupOf('town'), ...more };
    const plan = planOf('ensemble', [field('town', { savesTo: 'town', choices })]);
    const limited = new Map([['town', ['North', 'Short']]]);
    return examine(plan, lendingTables, undefined, { limited }).map(({ problem: p }) => [
      p.code,
      p.message,
    ]);
  };

  it('is told where roles that fill it in do not see all of it', () => {
    const found = everyone({ everyone: true }).filter(([code]) => code === 'offers_unseen');
    expect(found).toHaveLength(1);
    expect(found[0]?.[1]).toContain('North and Short');
    expect(everyone({}).map(([code]) => code)).not.toContain('offers_unseen');
  });
});
