import { describe, expect, it } from 'vitest';
import { z } from 'zod';
import { wholePlan as whole, wholeTables as tables } from '../../../tests/support/whole-plan';
import { examine } from '../wiring/examine';
import { wireForm } from '../wiring/form';
import { mapReferences, referencesOf, type Reference } from './references';
import { reachedBy } from './reach';
import { removeFields, renameField } from './rename';
import { planSchema, type Plan } from './schema';

/**
 * Every text of the plan's schema, by its path, with what it is: words for people, a formula, the key by which
 * something is defined here, or what kind of thing it names. A new place must be entered, and so be walked.
 */
const texts: Record<string, 'words' | 'formula' | 'defines' | 'setting' | Reference['kind']> = {
  title: 'words',
  description: 'words',
  table: 'table',
  startsAt: 'field',
  'sections[].key': 'defines',
  'sections[].title': 'words',
  'sections[].page': 'words',
  'sections[].grid.table': 'table',
  'sections[].grid.link': 'column',
  'sections[].grid.within': 'grid',
  'sections[].grid.view': 'view',
  'sections[].grid.totals[].column': 'column',
  'sections[].grid.thresholds[].column': 'column',
  'sections[].grid.thresholds[].from': 'setting',
  'sections[].grid.thresholds[].word': 'words',
  'sections[].grid.picture.by': 'column',
  'sections[].grid.picture.total.column': 'column',
  'sections[].grid.shownWhen': 'formula',
  'sections[].grid.rowsWhen': 'formula',
  'sections[].fields[].key': 'defines',
  'sections[].fields[].label': 'words',
  'sections[].fields[].help': 'words',
  'sections[].fields[].savesTo': 'column',
  'sections[].fields[].holds.table': 'table',
  'sections[].fields[].holds.list': 'list',
  'sections[].fields[].holds.mirrors': 'column',
  'sections[].fields[].holds.pattern': 'setting',
  'sections[].fields[].holds.options[].value': 'setting',
  'sections[].fields[].holds.options[].label': 'words',
  'sections[].fields[].holds.options[].of': 'setting',
  'sections[].fields[].holds.columns[].key': 'defines',
  'sections[].fields[].holds.columns[].label': 'words',
  'sections[].fields[].holds.columns[].type.list': 'list',
  'sections[].fields[].holds.columns[].type.options[].value': 'setting',
  'sections[].fields[].holds.columns[].type.options[].label': 'words',
  'sections[].fields[].holds.columns[].type.options[].of': 'setting',
  'sections[].fields[].choices.values[].value': 'setting',
  'sections[].fields[].choices.values[].label': 'words',
  'sections[].fields[].choices.values[].of': 'setting',
  'sections[].fields[].choices.list': 'list',
  'sections[].fields[].choices.by': 'field',
  'sections[].fields[].choices.query': 'query',
  'sections[].fields[].choices.stores': 'queryColumn',
  'sections[].fields[].choices.shown[]': 'column',
  'sections[].fields[].choices.given[].parameter': 'parameter',
  'sections[].fields[].choices.given[].field': 'field',
  'sections[].fields[].choices.table': 'table',
  'sections[].fields[].choices.stores.column': 'column',
  'sections[].fields[].choices.order[].path': 'column',
  'sections[].fields[].choices.conditions[].path': 'column',
  'sections[].fields[].choices.narrowings[].path': 'column',
  'sections[].fields[].choices.narrowings[].field': 'field',
  'sections[].fields[].choices.typedBy': 'column',
  'sections[].fields[].choices.guests[]': 'column',
  'sections[].fields[].choices.of': 'field',
  'sections[].fields[].choices.paths[]': 'column',
  'sections[].fields[].brings[].path': 'column',
  'sections[].fields[].brings[].by': 'field',
  'sections[].fields[].brings[].into': 'field',
  'sections[].fields[].computes': 'formula',
  'sections[].fields[].rollup.table': 'table',
  'sections[].fields[].rollup.path': 'column',
  'sections[].fields[].rollup.conditions[].path': 'column',
  'sections[].fields[].rollup.less[].path': 'column',
  'sections[].fields[].rollup.narrowings[].path': 'column',
  'sections[].fields[].rollup.narrowings[].field': 'field',
  'sections[].fields[].outside.query': 'query',
  'sections[].fields[].outside.column': 'queryColumn',
  'sections[].fields[].outside.given[].parameter': 'parameter',
  'sections[].fields[].outside.given[].field': 'field',
  'sections[].fields[].initial[]{key}': 'setting',
  'sections[].fields[].initially': 'formula',
  'sections[].fields[].requiredWhen': 'formula',
  'sections[].fields[].shownWhen': 'formula',
  'sections[].fields[].lockedWhen': 'formula',
  'sections[].fields[].checks[].holds': 'formula',
  'sections[].fields[].checks[].message': 'formula',
  'sections[].questions.table': 'table',
  'sections[].questions.narrowings[].path': 'column',
  'sections[].questions.narrowings[].field': 'field',
  'sections[].questions.columns.code': 'column',
  'sections[].questions.columns.text': 'column',
  'sections[].questions.columns.kind': 'column',
  'sections[].questions.columns.required': 'column',
  'sections[].questions.columns.choices': 'column',
  'sections[].questions.columns.help': 'column',
  'sections[].questions.columns.order': 'column',
  'sections[].questions.columns.group': 'column',
  'sections[].questions.columns.when': 'column',
  'sections[].questions.columns.points': 'column',
  'sections[].questions.columns.least': 'column',
  'sections[].questions.columns.greatest': 'column',
  'sections[].questions.columns.unit': 'column',
  'sections[].questions.points': 'field',
  'sections[].questions.answers.table': 'table',
  'sections[].questions.answers.sheet': 'column',
  'sections[].questions.answers.code': 'column',
  'sections[].questions.answers.question': 'column',
  'sections[].questions.answers.asked': 'column',
  'sections[].questions.answers.text': 'column',
  'sections[].questions.answers.number': 'column',
  'sections[].questions.answers.day': 'column',
  'sections[].questions.answers.yesNo': 'column',
  'sections[].questions.answers.option': 'column',
  'sections[].questions.answers.record': 'column',
  'sections[].questions.answers.files': 'column',
  'writes[].table': 'table',
  'writes[].each': 'grid',
  'writes[].record': 'formula',
  'writes[].when': 'formula',
  'writes[].values{key}': 'column',
  'writes[].values{}': 'formula',
  'mails[].when': 'formula',
  'mails[].to': 'formula',
  'mails[].subject': 'formula',
  'mails[].text': 'formula',
  'sends[].connection': 'system',
  'sends[].when': 'formula',
  'sends[].address': 'setting',
  'sends[].values{key}': 'setting',
  'sends[].values{}': 'formula',
  'buttons[].key': 'defines',
  'buttons[].label': 'words',
  'buttons[].when': 'formula',
  'buttons[].steps[].field': 'field',
  'buttons[].steps[].to': 'formula',
  'buttons[].steps[].connection': 'system',
  'buttons[].steps[].address': 'setting',
  'buttons[].steps[].values{key}': 'setting',
  'buttons[].steps[].values{}': 'formula',
  'buttons[].steps[].form': 'form',
  'buttons[].steps[].carry{key}': 'setting',
  'buttons[].steps[].carry{}': 'formula',
  'after.message': 'formula',
  'after.form': 'form',
  'after.carry{key}': 'setting',
  'after.carry{}': 'formula',
  'after.address': 'setting',
  'takes.from': 'setting',
  'takes.until': 'setting',
  'takes.closed': 'words',
  'through.query': 'query',
  'through.key': 'parameter',
  'through.write.address': 'setting',
  'through.columns{key}': 'field',
  'through.columns{}': 'queryColumn',
};

type Json = Record<string, unknown>;

/** The paths of all texts of a JSON Schema that are not of a fixed set. */
function textPaths(root: Json): Set<string> {
  const found = new Set<string>();
  const walk = (given: unknown, path: string, depth: number): void => {
    const schema = given as Json;
    if (depth > 14) return;
    if (typeof schema.$ref === 'string') {
      const name = schema.$ref.split('/').at(-1) ?? '';
      const defined = (root.$defs ?? {}) as Json;
      return walk(schema.$ref === '#' ? root : defined[name], path, depth + 1);
    }
    for (const of of ['anyOf', 'oneOf', 'allOf']) {
      for (const each of (schema[of] as unknown[] | undefined) ?? []) walk(each, path, depth + 1);
    }
    if (schema.type === 'string' && !('enum' in schema) && !('const' in schema)) found.add(path);
    for (const [key, each] of Object.entries((schema.properties ?? {}) as Json)) {
      walk(each, path === '' ? key : `${path}.${key}`, depth + 1);
    }
    if (schema.items) walk(schema.items, `${path}[]`, depth + 1);
    if (typeof schema.additionalProperties === 'object' && schema.additionalProperties) {
      walk(schema.additionalProperties, `${path}{}`, depth + 1);
      found.add(`${path}{key}`);
    }
  };
  walk(root, '', 0);
  return found;
}

describe('R6 the one walk over all that a plan names', () => {
  const schema = z.toJSONSchema(planSchema, { io: 'input', unrepresentable: 'any' }) as Json;

  it('knows every text that a plan can hold, and what each is', () => {
    expect([...textPaths(schema)].sort()).toEqual(Object.keys(texts).sort());
  });

  /** Where each value of the whole plan stands, by its path in the schema. */
  const places = (plan: Plan) => {
    const found: { path: string; value: string }[] = [];
    const walk = (value: unknown, path: string): void => {
      if (typeof value === 'string') found.push({ path, value });
      else if (Array.isArray(value)) for (const each of value) walk(each, `${path}[]`);
      else if (typeof value === 'object' && value !== null) {
        const record = ['values', 'carry', 'columns'].some((name) => path.endsWith(name));
        const mapped = record && !path.includes('choices') && !path.includes('questions');
        for (const [key, each] of Object.entries(value)) {
          if (mapped) found.push({ path: `${path}{key}`, value: key });
          walk(each, mapped ? `${path}{}` : path === '' ? key : `${path}.${key}`);
        }
      }
    };
    walk(plan, '');
    return found;
  };
  const kinds = new Set<string>(referencesOf(whole, tables).map(({ kind }) => kind));

  it('stands in the test plan with every place that names something', () => {
    const filled = new Set(places(whole).map(({ path }) => path));
    const naming = Object.entries(texts).filter(([path, what]) => {
      const inRows = path.includes('.holds.columns') || path.includes('.holds.mirrors');
      return !inRows && !['words', 'setting', 'defines'].includes(what);
    });
    for (const [path] of naming) expect(filled, path).toContain(path);
    expect([...kinds].sort()).toEqual(
      [...new Set(naming.map(([, what]) => what).filter((what) => what !== 'formula'))].sort(),
    );
  });

  it('gives every place that names something another name, and no other', () => {
    const renamed = mapReferences(whole, tables, ({ name }) => `zz_${name}`);
    const [before, after] = [places(whole), places(renamed)];
    expect(after.map(({ path }) => path)).toEqual(before.map(({ path }) => path));
    before.forEach(({ path, value }, i) => {
      const what = texts[path] ?? 'setting';
      const now = after[i]?.value ?? '';
      if (['words', 'defines', 'setting'].includes(what)) expect(now, path).toBe(value);
      else if (what === 'formula') {
        expect(now.includes('zz_') || value === 'record', `${path}: ${value}`).toBe(true);
      } else
        expect(now, path).toBe(
          value.replace(/[^.]+/g, (step) => (step === 'parent' ? step : `zz_${step}`)),
        );
    });
  });

  it('leaves no plan behind that names a field in vain, but in formulas', () => {
    for (const scope of ['', 'lines']) {
      const keys =
        wireForm(whole, tables)
          .scopes.get(scope)
          ?.list.map(({ field }) => field.key) ?? [];
      for (const key of keys) {
        const without = removeFields(whole, tables, scope, [key]);
        expect(() => planSchema.parse(without), key).not.toThrow();
        const still = mapReferences(withoutFormulas(without), tables, (r) =>
          r.kind === 'field' && r.scope === scope && r.name === key ? 'zz_still' : undefined,
        );
        expect(JSON.stringify(still), key).not.toContain('zz_still');
      }
    }
  });

  it('is a problem of the checkup wherever a place names nothing', () => {
    const problems = (plan: Plan) =>
      examine(plan, tables)
        .filter(({ level }) => level === 'problem')
        .map(({ field, problem }) => `${field}: ${problem.message}`);
    const known = new Set(problems(whole));
    referencesOf(whole, tables).forEach((reference, place) => {
      let walked = 0;
      const broken = mapReferences(whole, tables, () => (walked++ === place ? 'gone' : undefined));
      // Other forms are not known to a plan; whoever presses the button is told.
      if (reference.kind === 'form') return;
      const found = problems(broken).filter((message) => !known.has(message));
      expect(found, `${place} ${JSON.stringify(reference)}`).not.toEqual([]);
    });
  });

  it('renames a field where it is named, and back again to the same plan', () => {
    for (const [scope, key] of [
      ['', 'note'],
      ['', 'town'],
      ['lines', 'kind'],
    ] as const) {
      const there = renameField(whole, tables, key, 'zz_other', scope);
      expect(there).not.toEqual(whole);
      expect(renameField(there, tables, 'zz_other', key, scope)).toEqual(whole);
    }
  });

  it('reaches what is named, with the systems of its queries', () => {
    const reached = reachedBy(whole, tables);
    expect([...reached.keys()].sort()).toEqual(['line', 'loan', 'town']);
    expect([...(reached.queries?.keys() ?? [])]).toEqual(['member']);
  });
});

/** The plan without its formulas, which keep what they name. */
function withoutFormulas(plan: Plan): Plan {
  const none = {
    computes: null,
    initially: null,
    requiredWhen: null,
    shownWhen: null,
    lockedWhen: null,
  };
  return {
    ...plan,
    writes: [],
    sends: [],
    buttons: (plan.buttons ?? []).map((button) => ({
      ...button,
      when: null,
      steps: button.steps.filter((step) => step.do === 'set').map((step) => ({ ...step, to: '1' })),
    })),
    sections: plan.sections.map((section) => ({
      ...section,
      grid: section.grid && { ...section.grid, shownWhen: null, rowsWhen: null },
      fields: section.fields.map((field) => ({ ...field, ...none, checks: [] })),
    })),
  };
}
