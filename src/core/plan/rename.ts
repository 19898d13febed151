import type { House } from '../table/definition';
import { keySchema } from '../values/key';
import { mapReferences } from './references';
import { type Plan } from './schema';
import { scopeOf, scopesOf } from './scopes';

/**
 * Gives a field, of the form itself or of a grid, another key in everything that names it: narrowings, rollups,
 * brings, the start of the cursor, buttons, and formulas (through what they parse to, so that a text or a
 * variable of the same name stays). Gives the plan as it is where the key is taken or no key.
 */
export function renameField(
  plan: Plan,
  tables: House,
  from: string,
  to: string,
  inScope = '',
): Plan {
  const { fields = [] } = scopesOf(plan).find((scope) => scope.key === inScope) ?? {};
  const taken =
    fields.some((f) => f.key === to) ||
    (inScope === '' && plan.sections.some((s) => s.grid && s.key === to));
  if (from === to || taken || !keySchema.safeParse(to).success) return plan;
  const renamed = mapReferences(plan, tables, (reference) => {
    const meant = reference.kind === 'field' && reference.scope === inScope;
    return meant && reference.name === from ? to : undefined;
  });
  const sections = renamed.sections.map((section) => {
    if (scopeOf(section) !== inScope) return section;
    const named = section.fields.map((f) => (f.key === from ? { ...f, key: to } : f));
    return { ...section, fields: named };
  });
  return { ...renamed, sections };
}

/** Gives a column of a table another key, in every path and formula of the plan. */
export function renameColumn(
  plan: Plan,
  tables: House,
  table: string,
  from: string,
  to: string,
): Plan {
  return mapReferences(plan, tables, (reference) => {
    const meant = reference.kind === 'column' && reference.table === table;
    return meant && reference.name === from ? to : undefined;
  });
}

/** Gives a table another key, wherever the plan names it; formulas name it as what a person stands for. */
export function renameTable(plan: Plan, tables: House, from: string, to: string): Plan {
  return mapReferences(plan, tables, ({ kind, name }) =>
    kind === 'table' && name === from ? to : undefined,
  );
}

/**
 * Takes fields out of the form itself or of a grid, with everything that names them and cannot be without:
 * narrowings, what is given to queries, brings, steps of buttons. Formulas stay, and the checkup says so.
 */
export function removeFields(
  plan: Plan,
  tables: House,
  scope: string,
  keys: readonly string[],
): Plan {
  const gone = new Set(keys);
  const without = mapReferences(plan, tables, (reference) => {
    const meant = reference.kind === 'field' && reference.scope === scope;
    return meant && gone.has(reference.name) ? null : undefined;
  });
  const sections = without.sections.map((section) => {
    if (scopeOf(section) !== scope) return section;
    return { ...section, fields: section.fields.filter(({ key }) => !gone.has(key)) };
  });
  return { ...without, sections };
}
