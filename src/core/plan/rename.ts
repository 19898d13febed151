import type { Tables } from '../table/definition';
import { keySchema } from '../values/key';
import { compileIn, formNames, messageParts } from './formulas';
import { heldTypeIn } from './held';
import {
  namedPlace,
  scopesOf,
  type Field,
  type Given,
  type PlanScope,
  type Narrowing,
  type Plan,
  type TableChoices,
} from './schema';

/** A word of a formula that is to become another: a field's key, or a column of a table. */
interface Renaming {
  /** Whether a mention in a formula of `scope` is meant. */
  means: (scope: string, of: string | null, key: string) => boolean;
  to: string;
}

/**
 * Gives a field, of the form itself or of a grid, another key in everything that names it: narrowings, rollups,
 * brings, the start of the cursor, and formulas (through what they parse to, so that a text or a
 * variable of the same name stays). Gives the plan as it is where the key is taken or no key.
 */
export function renameField(
  plan: Plan,
  tables: Tables,
  from: string,
  to: string,
  inScope = '',
): Plan {
  const { fields = [] } = scopesOf(plan).find((scope) => scope.key === inScope) ?? {};
  const taken =
    fields.some((f) => f.key === to) ||
    (inScope === '' && plan.sections.some((s) => s.grid && s.key === to));
  if (from === to || taken || !keySchema.safeParse(to).success) return plan;
  const record = inScope === '' ? '' : `${inScope}[]`;
  const renamed = renameInFormulas(plan, tables, {
    means: (scope, of, key) => key === from && (of === null ? scope === inScope : of === record),
    to,
  });
  const named = (key: string) => (key === from ? to : key);
  const scopes = new Map(scopesOf(plan).map((scope) => [scope.key, scope]));
  const source = (scope: PlanScope, name: string) => {
    const place = namedPlace(scopes, scope.key, name);
    const meant = place?.scope.key === inScope && place.key === from;
    return meant ? name.slice(0, name.length - from.length) + to : name;
  };
  return {
    ...mapScopes(renamed, (field, scope) => ({
      ...field,
      key: scope.key === inScope ? named(field.key) : field.key,
      ...mapNarrowed(field, (n) => ({ ...n, field: source(scope, n.field) })),
      ...(scope.key === inScope ? renamedLinks(field, named) : {}),
    })),
    startsAt:
      renamed.startsAt !== null && inScope === '' ? named(renamed.startsAt) : renamed.startsAt,
    ...(renamed.buttons && inScope === ''
      ? {
          buttons: renamed.buttons.map((button) => ({
            ...button,
            steps: button.steps.map((step) =>
              step.do === 'set' ? { ...step, field: named(step.field) } : step,
            ),
          })),
        }
      : {}),
    ...(renamed.through && inScope === ''
      ? { through: { ...renamed.through, columns: renamedKeys(renamed.through.columns, named) } }
      : {}),
  };
}

function renamedKeys(columns: Record<string, string>, named: (key: string) => string) {
  return Object.fromEntries(
    Object.entries(columns).map(([field, column]) => [named(field), column]),
  );
}

/** Gives a column of a table another key, in every path and formula of the plan. */
export function renameColumn(
  plan: Plan,
  tables: Tables,
  table: string,
  from: string,
  to: string,
): Plan {
  const path = (start: string, written: string) =>
    renamePath(tables, start, written, table, from, to);
  const renamed = renameInFormulas(plan, tables, {
    means: (_, of, key) => of === table && key === from,
    to,
  });
  const columns = mapScopes(renamed, (field, scope) => {
    const type = heldTypeIn(scope, field, tables);
    const chosen = type.kind === 'reference' ? type.table : '';
    const { rollup, choices } = field;
    return {
      ...field,
      savesTo: scope.table === table && field.savesTo === from ? to : field.savesTo,
      brings: field.brings.map((b) => ({ ...b, path: b.path && path(chosen, b.path) })),
      choices:
        choices?.kind === 'table'
          ? renamedChoices(choices, (written) => path(choices.table, written))
          : choices?.kind === 'columns'
            ? {
                ...choices,
                paths: choices.paths.map((p) => path(ofTable(scope, choices.of, tables), p)),
              }
            : choices,
      rollup: rollup && {
        ...rollup,
        path: rollup.path && path(rollup.table, rollup.path),
        conditions: rollup.conditions.map((c) => ({ ...c, path: path(rollup.table, c.path) })),
        narrowings: rollup.narrowings.map((n) => ({ ...n, path: path(rollup.table, n.path) })),
      },
    };
  });
  return {
    ...columns,
    sections: columns.sections.map((s) => {
      const link = s.grid?.table === table && s.grid.link === from;
      return link && s.grid ? { ...s, grid: { ...s.grid, link: to } } : s;
    }),
    writes: columns.writes.map((w) => {
      if (w.table !== table) return w;
      const values = Object.entries(w.values).map(([key, formula]) => [
        key === from ? to : key,
        formula,
      ]);
      return { ...w, values: Object.fromEntries(values) as Record<string, string> };
    }),
  };
}

/** Gives a table another key, wherever the plan names it; formulas name columns only. */
export function renameTable(plan: Plan, from: string, to: string): Plan {
  const named = <T extends { table: string }>(one: T): T =>
    one.table === from ? { ...one, table: to } : one;
  return {
    ...named(plan),
    sections: plan.sections.map((section) => ({
      ...section,
      grid: section.grid && named(section.grid),
      fields: section.fields.map((field) => ({
        ...field,
        holds: field.holds && 'table' in field.holds ? named(field.holds) : field.holds,
        choices: field.choices?.kind === 'table' ? named(field.choices) : field.choices,
        rollup: field.rollup && named(field.rollup),
      })),
    })),
    writes: plan.writes.map(named),
  };
}

/** Renames a column in a path of columns: only where the step stands in that table. */
function renamePath(
  tables: Tables,
  start: string,
  written: string,
  table: string,
  from: string,
  to: string,
): string {
  let here = start;
  return written
    .split('.')
    .map((key) => {
      const column = tables.get(here)?.columns.find((c) => c.key === key);
      const renamed = here === table && key === from ? to : key;
      here = column?.type.kind === 'reference' ? column.type.table : '';
      return renamed;
    })
    .join('.');
}

function renamedChoices(choices: TableChoices, path: (written: string) => string): TableChoices {
  const { stores, typedBy } = choices;
  return {
    ...choices,
    shown: choices.shown.map(path),
    stores: stores.kind === 'copy' ? { ...stores, column: path(stores.column) } : stores,
    order: choices.order.map((o) => ({ ...o, path: path(o.path) })),
    conditions: choices.conditions.map((c) => ({ ...c, path: path(c.path) })),
    narrowings: choices.narrowings.map((n) => ({ ...n, path: path(n.path) })),
    typedBy: typedBy && path(typedBy),
  };
}

function ofTable(scope: PlanScope, key: string, tables: Tables): string {
  const lookup = scope.fields.find((f) => f.key === key);
  const type = lookup && heldTypeIn(scope, lookup, tables);
  return type?.kind === 'reference' ? type.table : '';
}

function renamedLinks(field: Field, named: (key: string) => string): Partial<Field> {
  const brings = field.brings.map((bring) => ({
    ...bring,
    by: bring.by && named(bring.by),
    into: bring.into && named(bring.into),
  }));
  const { choices } = field;
  if (choices?.kind !== 'columns') return { brings };
  return { brings, choices: { ...choices, of: named(choices.of) } };
}

function mapNarrowed(field: Field, map: (narrowing: Narrowing) => Narrowing): Partial<Field> {
  const { choices, rollup, outside } = field;
  /** A field that is named without a column is renamed as a narrowing by it is. */
  const named = (name: string) =>
    map({ path: '', operator: 'equal', field: name, whileEmpty: 'nothing' }).field;
  const given = (one: Given) => ({ ...one, field: named(one.field) });
  const mapped = (): Field['choices'] => {
    switch (choices?.kind) {
      case 'table':
        return { ...choices, narrowings: choices.narrowings.map(map) };
      case 'options':
        return { ...choices, by: choices.by && named(choices.by) };
      case 'outside':
        return { ...choices, given: choices.given.map(given) };
      default:
        return choices;
    }
  };
  return {
    choices: mapped(),
    rollup: rollup && { ...rollup, narrowings: rollup.narrowings.map(map) },
    outside: outside && { ...outside, given: outside.given.map(given) },
  };
}

function mapScopes(plan: Plan, map: (field: Field, scope: PlanScope) => Field): Plan {
  const scopes = new Map(scopesOf(plan).map((scope) => [scope.key, scope]));
  const sections = plan.sections.map((section) => {
    const scope = scopes.get(section.grid ? section.key : '');
    return scope ? { ...section, fields: section.fields.map((f) => map(f, scope)) } : section;
  });
  return { ...plan, sections };
}

/** Puts another word for every mention that is meant; a formula that cannot be read stays as it is. */
function renameInFormulas(plan: Plan, tables: Tables, { means, to }: Renaming): Plan {
  const names = formNames(plan, tables);
  const renamed = <T extends string | null>(scope: string, source: T): T => {
    if (source === null) return source;
    const compiled = compileIn(names.get(scope), source);
    if ('problem' in compiled) return source;
    const meant = compiled.formula.mentions.filter(({ of, key }) => means(scope, of, key));
    const places = new Map(meant.map((mention) => [mention.from, mention]));
    return [...places.values()]
      .sort((a, b) => b.from - a.from)
      .reduce<string>((text, at) => text.slice(0, at.from) + to + text.slice(at.to), source) as T;
  };
  const fields = mapScopes(plan, (field, { key }) => ({
    ...field,
    computes: renamed(key, field.computes),
    initially: renamed(key, field.initially),
    shownWhen: renamed(key, field.shownWhen),
    requiredWhen: renamed(key, field.requiredWhen),
    lockedWhen: renamed(key, field.lockedWhen),
    checks: field.checks.map(({ holds, message }) => ({
      holds: renamed(key, holds),
      message: messageParts(message)
        .map((part) => (part.formula ? `{${renamed(key, part.text)}}` : part.text))
        .join(''),
    })),
  }));
  const sections = fields.sections.map((section) => {
    const { grid, key } = section;
    if (!grid) return section;
    const shownWhen = renamed('', grid.shownWhen);
    return { ...section, grid: { ...grid, shownWhen, rowsWhen: renamed(key, grid.rowsWhen) } };
  });
  const values = (scope: string, formulas: Readonly<Record<string, string>>) =>
    Object.fromEntries(
      Object.entries(formulas).map(([name, source]) => [name, renamed(scope, source)]),
    );
  const writes = plan.writes.map((write) => ({
    ...write,
    record: renamed(write.each ?? '', write.record),
    when: renamed(write.each ?? '', write.when),
    values: values(write.each ?? '', write.values),
  }));
  const buttons = plan.buttons?.map((button) => ({
    ...button,
    when: renamed('', button.when),
    steps: button.steps.map((step) => {
      if (step.do === 'set') return { ...step, to: renamed('', step.to) };
      if (step.do === 'tell') return { ...step, values: values('', step.values) };
      return step.do === 'open' ? { ...step, carry: values('', step.carry) } : step;
    }),
  }));
  const whole = { ...fields, sections, writes, ...(buttons ? { buttons } : {}) };
  if (!plan.sends) return whole;
  const sends = plan.sends.map((send) => ({
    ...send,
    when: renamed('', send.when),
    values: values('', send.values),
  }));
  return { ...whole, sends };
}
