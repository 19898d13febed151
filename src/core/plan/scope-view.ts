import { plainField } from './draft';
import { heldType } from './held';
import type { Tables } from '../table/definition';
import { fieldsOf, type Field, type Plan } from './schema';

/**
 * The fields of a grid are designed as those of a form are: seen as a plan of their own, over the
 * table of the grid. What the form around them offers stands among them as `parent.key`, to be read.
 */
export function scopeView(plan: Plan, scope: string, tables: Tables): Plan {
  const section = plan.sections.find((s) => s.key === scope && s.grid !== null);
  if (!section?.grid) return plan;
  const around = fieldsOf(plan).map((field): Field => ({
    ...plainField(`${field.label} of the form`),
    key: `parent.${field.key}`,
    holds: heldType(plan, field, tables),
  }));
  return {
    ...plan,
    title: section.title,
    table: section.grid.table,
    sections: [
      { ...section, grid: null },
      { key: 'parent', title: '', columns: 1, fields: around, grid: null, page: null },
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

/** Whether a field of a view is one of the form around the grid. */
export function isAround(field: Field): boolean {
  return field.key.startsWith('parent.');
}

function isGrid(plan: Plan, scope: string): boolean {
  return plan.sections.some((s) => s.key === scope && s.grid !== null);
}
