import { houseOf } from '../table/sources';
import { describe, expect, it } from 'vitest';
import { field, lookupOf, sighted } from '../../../tests/support/definitions';
import { lendingPlan, lendingTables as tables, linesPlan } from '../../../tests/support/lending';
import { examine } from '../wiring/examine';
import { copyFields, copySection } from './copy';
import { childrenOf, draftPlan, gridSection } from './draft';
import {
  addField,
  addSection,
  arrangeFields,
  moveField,
  moveSection,
  removeSection,
  updateField,
  updateSection,
} from './edit';
import { renameField, removeFields } from './rename';
import { planSchema, type Plan } from './schema';
import { fieldOf, fieldsOf, pagesOf, scopesOf } from './scopes';
import { tableChoices } from './choices';
import { namedLabel } from './sight';

const inLines = (plan: Plan) => scopesOf(plan).find((s) => s.key === 'lines')?.fields ?? [];
const lineOf = (plan: Plan, key: string) => inLines(plan).find((f) => f.key === key);
const codes = (plan: Plan, sizes?: ReadonlyMap<string, number>) =>
  examine(plan, tables, undefined, { sizes }).map((f) => `${f.field}:${f.problem.code}`);

describe('G4 the lines of a grid are designed like the fields of a form', () => {
  const plan = linesPlan();

  it('have the form around them to be named', () => {
    const seen = sighted(plan, tables, 'lines');
    expect(seen.table).toBe('loan_line');
    const names = seen.named.map(({ name }) => name);
    expect(names.slice(0, 4)).toEqual(['score', 'copies', 'fee', 'share']);
    expect(names).toContain('parent.weeks');
    expect(
      seen.named.filter(({ name }) => name.startsWith('parent.')).map(({ type }) => type.kind),
    ).toEqual(['whole', 'decimal', 'whole', 'decimal']);
    const label = fieldOf(plan, 'weeks')?.label;
    expect(namedLabel(seen, 'parent.weeks')).toBe(`${label} of the form`);
    expect(namedLabel(seen, 'weeks')).toBe('weeks?');
  });

  it('are added, moved and removed in their grid only', () => {
    const added = addField(plan, field('note'), { scope: 'lines', behind: 'copies' });
    expect(inLines(added).map((f) => f.key)).toEqual(['score', 'copies', 'note', 'fee', 'share']);
    expect(fieldsOf(added)).toEqual(fieldsOf(plan));
    expect(moveField(plan, 'lines.share', 1)).toEqual(plan);
    const up = moveField(plan, 'lines.share', -1);
    expect(inLines(up).map((f) => f.key)).toEqual(['score', 'copies', 'share', 'fee']);
    const order = ['fee', 'score'];
    expect(inLines(arrangeFields(plan, 'lines', order)).map((f) => f.key)).toEqual([
      'fee',
      'score',
      'copies',
      'share',
    ]);
    expect(fieldsOf(arrangeFields(plan, 'lines', order))).toEqual(fieldsOf(plan));
    expect(
      inLines(removeFields(plan, tables, 'lines', ['copies'])).map((f) => f.key),
    ).not.toContain('copies');
    expect(fieldOf(removeFields(plan, houseOf(), '', ['copies']), 'copies')).toBeUndefined();
    expect(lineOf(removeFields(plan, houseOf(), '', ['copies']), 'copies')).toBeDefined();
    const changed = updateField(plan, 'lines.copies', { label: 'How many' });
    expect([lineOf(changed, 'copies')?.label, fieldOf(changed, 'copies')?.label]).toEqual([
      'How many',
      'copies',
    ]);
  });

  it('lose a narrowing by a field of the form that goes', () => {
    const narrowings = [
      { path: 'pages', operator: 'at_most', field: 'parent.weeks', whileEmpty: 'everything' },
    ] as const;
    const choices = lookupOf('score', { narrowings: [...narrowings] });
    const narrowed = updateField(plan, 'lines.score', { choices });
    const score = lineOf(removeFields(narrowed, houseOf(), '', ['weeks']), 'score');
    expect(score && tableChoices(score)?.narrowings).toEqual([]);
  });

  it('go by another key in the formulas of rows and of the form', () => {
    const renamed = renameField(plan, tables, 'fee', 'price', 'lines');
    expect(lineOf(renamed, 'share')?.computes).toBe('price / parent.total');
    expect(fieldOf(renamed, 'total')?.computes).toBe('sum(lines.price)');
    const outer = renameField(plan, tables, 'weeks', 'duration');
    expect(lineOf(outer, 'fee')?.computes).toBe('copies * parent.duration * score.pages / 100');
    expect(renameField(plan, tables, 'fee', 'share', 'lines')).toBe(plan);
  });

  it('are examined by their address', () => {
    expect(codes(updateField(plan, 'lines.fee', { computes: 'copies * nothing' }))).toContain(
      'lines.fee:formula_unknown_name',
    );
    const twice = updateField(plan, 'lines.share', { savesTo: 'fee' });
    expect(codes(twice)).toContain('lines.share:saves_twice');
    const without = removeFields(plan, tables, 'lines', ['score']);
    const missing = examine(without, tables).find((f) => f.problem.code === 'required_unwritten');
    const mended = missing?.fix?.apply(without) ?? plan;
    expect(inLines(mended).map((f) => f.key)).toContain('score');
    expect(codes(mended)).not.toContain('null:required_unwritten');
  });
});

describe('G4 several lines and whole sections are copied with their wiring', () => {
  it('follow the copies of what the originals follow', () => {
    const plan = lendingPlan();
    const { plan: copied, copies } = copyFields(plan, tables, '', ['region', 'town', 'ensemble']);
    expect(copies).toEqual(['region_2', 'town_2', 'ensemble_2']);
    const by = (key: string) => {
      const found = fieldOf(copied, key);
      return found && tableChoices(found)?.narrowings.map((n) => n.field);
    };
    expect([by('town_2'), by('ensemble_2'), by('town')]).toEqual([
      ['region_2'],
      ['town_2'],
      ['region'],
    ]);
    // What is brought into fields that were not copied stays with the original.
    expect(fieldOf(copied, 'ensemble_2')?.brings.map((b) => b.into)).toEqual([null]);
    expect(fieldOf(copied, 'ensemble_2')?.savesTo).toBeNull();
    expect(codes(copied).filter((code) => code.startsWith('null'))).toEqual([]);
  });

  it('carry formulas among themselves', () => {
    const plan = lendingPlan();
    const { plan: copied } = copyFields(plan, tables, '', ['weeks', 'fee', 'lent_on', 'due_on']);
    expect(codes(copied).filter((code) => code.includes('default'))).toEqual([]);
    expect(fieldOf(copied, 'weeks_2')?.holds).toEqual({ kind: 'whole' });
    expect(fieldOf(copied, 'fee_2')?.computes).toBe('rate * copies * weeks_2');
    expect(fieldOf(copied, 'due_on_2')?.initially).toBe('lent_on_2 + @"P7D" * weeks_2');
    const lines = copyFields(linesPlan(), tables, 'lines', ['copies', 'fee']);
    expect(inLines(lines.plan).find((f) => f.key === 'fee_2')?.computes).toBe(
      'copies_2 * parent.weeks * score.pages / 100',
    );
  });

  it('a section stands behind the original, and publishes as it is', () => {
    const copied = copySection(lendingPlan(), tables, 'main');
    expect(copied.sections.map((s) => s.key)).toEqual(['main', 'main_copy']);
    expect(planSchema.parse(copied)).toEqual(copied);
    expect(
      codes(copied).filter((code) => /cycle|twice$/.test(code.replace('label_twice', ''))),
    ).toEqual([]);
    expect(copySection(linesPlan(), tables, 'lines')).toEqual(linesPlan());
  });
});

describe('G4 sections stand on pages', () => {
  const three = addSection(addSection(linesPlan(), 'Second'), 'Third');

  it('a page begins where it is said, and goes on until the next', () => {
    expect(pagesOf(three).map((p) => p.sections.length)).toEqual([4]);
    const paged = updateSection(three, 'second', { page: 'Terms' });
    expect(pagesOf(paged).map((p) => [p.title, p.sections.length])).toEqual([
      ['', 2],
      ['Terms', 2],
    ]);
  });

  it('sections move among one another; a grid goes with its lines, others leave them to a neighbour', () => {
    expect(moveSection(three, 'third', -1).sections.map((s) => s.key)).toEqual([
      'main',
      'lines',
      'third',
      'second',
    ]);
    expect(moveSection(three, 'main', -1)).toBe(three);
    expect(removeSection(three, 'lines').sections.map((s) => s.key)).not.toContain('lines');
    expect(
      moveField(three, 'largest', 1).sections.find((s) => s.key === 'second')?.fields,
    ).toHaveLength(1);
    const alone = linesPlan();
    expect(removeSection(alone, 'main')).toBe(alone);
  });
});

describe('G2 a form is drafted with its children', () => {
  it('takes a table whose records belong to it, and leaves others to be asked for', () => {
    const drafted = draftPlan(tables.get('loan') ?? fail(), tables);
    expect(scopesOf(drafted).map((s) => [s.key, s.link])).toEqual([
      ['', null],
      ['loan_line', 'loan'],
    ]);
    expect(planSchema.parse(drafted)).toEqual(drafted);
    const children = childrenOf('score', tables).map(
      (c) => `${c.table.key}.${c.link.key} ${c.owned}`,
    );
    expect(children).toContain('loan_line.score false');
    const line = tables.get('loan_line') ?? fail();
    const section = gridSection(line, 'loan', tables, ['loan_line']);
    expect(section.key).toBe('loan_line_2');
    expect(section.fields.map((f) => f.key)).not.toContain('loan');
  });
});

describe('G6 what is slow or can never be filled is said', () => {
  const narrowed = (path: string, operator: 'equal' | 'contains') =>
    updateField(lendingPlan(), 'score', {
      choices: lookupOf('score', {
        narrowings: [{ path, operator, field: 'note', whileEmpty: 'everything' }],
      }),
    });

  it.each([
    [narrowed('name', 'equal'), 60_000, 'score:narrowing_unindexed'],
    [narrowed('name', 'contains'), 60_000, 'score:narrowing_slow'],
  ])('on a large table', (plan, size, code) => {
    expect(codes(plan, new Map([['score', size]]))).toContain(code);
    expect(codes(plan, new Map([['score', 96]]))).not.toContain(code);
  });

  it('a list that waits for a field nobody can fill', () => {
    const plan = updateField(lendingPlan(), 'region', { shows: 'nothing' });
    expect(codes(plan)).toContain('town:never_filled');
    expect(codes(updateField(plan, 'region', { initial: 1 }))).not.toContain('town:never_filled');
  });
});

function fail(): never {
  throw new Error('no such table');
}
