import { plainField } from './draft';
import { aroundSection } from './edit';
import { heldTypeIn } from './held';
import type { Tables } from '../table/definition';
import { scopeAround, scopesOf, type Field, type Plan, type PlanScope } from './schema';

/**
 * The fields of a grid are designed as those of a form are: seen as a plan of their own, over the
 * table of the grid. What is around them stands among them as `parent.key` (further out
 * `parent.parent.key`), to be read.
 */
export function scopeView(plan: Plan, scope: string, tables: Tables): Plan {
  const section = plan.sections.find((s) => s.key === scope && s.grid !== null);
  if (!section?.grid) return plan;
  const scopes = new Map(scopesOf(plan).map((one) => [one.key, one]));
  const around = (from: PlanScope | undefined, prefix: string): Field[] => {
    const outer = from && scopeAround(scopes, from);
    if (!outer) return [];
    const fields = outer.fields.map((field): Field => ({
      ...plainField(`${field.label} of ${outer.key === '' ? 'the form' : outer.title}`),
      key: `${prefix}${field.key}`,
      holds: heldTypeIn(outer, field, tables),
    }));
    return [...fields, ...around(outer, `${prefix}parent.`)];
  };
  return {
    ...plan,
    title: section.title,
    table: section.grid.table,
    sections: [
      { ...section, grid: null },
      {
        key: aroundSection,
        title: '',
        columns: 1,
        fields: around(scopes.get(scope), 'parent.'),
        grid: null,
        page: null,
      },
    ],
    startsAt: null,
    writes: [],
  };
}

/** The plan with the fields of a grid as an edit of its view has left them. */
export function withView(plan: Plan, scope: string, view: Plan): Plan {
  if (!isGrid(plan, scope)) return view;
  const [edited] = view.sections;
  return {
    ...plan,
    sections: plan.sections.map((s) =>
      s.key === scope && edited ? { ...edited, grid: s.grid } : s,
    ),
  };
}

/** Whether a field of a view is one of what is around the grid. */
export function isAround(field: Field): boolean {
  return field.key.startsWith('parent.');
}

function isGrid(plan: Plan, scope: string): boolean {
  return plan.sections.some((s) => s.key === scope && s.grid !== null);
}
