import type { Field, Plan, Section, Through } from './schema';

/** A page of a form: its title, and the sections on it. */
export interface PlanPage {
  title: string;
  sections: Section[];
}

/** The pages of a form; one without a title where none is begun. */
export function pagesOf(plan: Plan): PlanPage[] {
  const pages: PlanPage[] = [];
  for (const section of plan.sections) {
    const current = pages.at(-1);
    if (current && section.page === null) current.sections.push(section);
    else pages.push({ title: section.page ?? '', sections: [section] });
  }
  return pages;
}

/** Where fields stand together: the form itself, or the rows of a grid. */
export interface PlanScope {
  /** The key of the grid; `''` for the form. */
  key: string;
  title: string;
  /** The table that its fields are saved to. */
  table: string;
  /** The column of the rows that refers to the record around them; `null` for the form. */
  link: string | null;
  /** The grid to whose rows these belong; `null` for the form and for rows of its record. */
  within: string | null;
  /** The formula, of the form, under which a grid is there. */
  shownWhen: string | null;
  /** The formula, of a row, under which it stands in sight. */
  rowsWhen: string | null;
  /** For a form that passes through: from where its fields are. */
  through?: Through | null | undefined;
  fields: readonly Field[];
}

/** The form and its grids, each after the one that it stands in. */
export function scopesOf(plan: Plan): PlanScope[] {
  const grids = plan.sections.flatMap(({ key, title, grid, fields }) =>
    grid ? [{ key, title, ...grid, fields }] : [],
  );
  const inner = (grid: PlanScope) => grid.within !== null;
  return [rootScope(plan), ...grids.filter((g) => !inner(g)), ...grids.filter(inner)];
}

/** The form itself as a scope. */
export function rootScope(plan: Plan): PlanScope {
  const { title, table } = plan;
  const outermost = { link: null, within: null, shownWhen: null, rowsWhen: null };
  return { key: '', title, table, ...outermost, through: plan.through, fields: fieldsOf(plan) };
}

/** The scope around another; `null` for the form itself, and for rows of a grid that is not there. */
export function scopeAround<S extends { key: string; within: string | null }>(
  scopes: ReadonlyMap<string, S>,
  scope: Pick<S, 'key' | 'within'>,
): S | null {
  return scope.key === '' ? null : (scopes.get(scope.within ?? '') ?? null);
}

/**
 * Where a name leads that is said in a scope: `fee` to a field of its own, `parent.fee` to one of what
 * is around it, `parent.parent.fee` to one further out; `null` where nothing is around it.
 */
export function namedPlace<S extends { key: string; within: string | null }>(
  scopes: ReadonlyMap<string, S>,
  scope: string,
  name: string,
): { scope: S; key: string } | null {
  const parts = name.split('.');
  let at = scopes.get(scope) ?? null;
  while (at && parts[0] === 'parent' && parts.length > 1) {
    parts.shift();
    at = scopeAround(scopes, at);
  }
  return at && { scope: at, key: parts.join('.') };
}

/** The fields of the form itself in form order, without those of its grids. */
export function fieldsOf(plan: Plan): Field[] {
  return plan.sections.flatMap((section) => (section.grid ? [] : section.fields));
}

/** The field with this key. */
export function fieldOf(plan: Plan, key: string): Field | undefined {
  return fieldsOf(plan).find((field) => field.key === key);
}

/** The scope that the fields of a section belong to: `''` for the form itself, otherwise the grid. */
export function scopeOf(section: Section): string {
  return section.grid ? section.key : '';
}

/** A field by its address: `fee` in the form itself, `lines.fee` in a grid. */
export function placeOf(address: string): { scope: string; key: string } {
  const [first = '', second] = address.split('.');
  return second === undefined ? { scope: '', key: first } : { scope: first, key: second };
}

/** The address of a field. */
export function addressOf(scope: string, key: string): string {
  return scope === '' ? key : `${scope}.${key}`;
}
