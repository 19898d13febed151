import { columnOf, keyFrom, type Column, type Table, type House } from '../table/definition';
import { displayPaths } from '../table/paths';
import { isLink } from '../values/types';
import { addField } from './edit';
import {
  gridSchema,
  planFormat,
  type Bring,
  type Field,
  type Grid,
  type Plan,
  type Section,
} from './schema';
import { fieldsOf, scopesOf } from './scopes';
import type { TableChoices } from './choices';

/**
 * A first form for a table (G2): a field per column, but for codes; references become lookups that bring
 * the addresses of their record along, and the tables that belong to it become grids.
 */
export function draftPlan(table: Table, tables: House, title = table.title): Plan {
  const typed = table.columns.filter((column) => column.type.kind !== 'code');
  const fields = typed.map((column) => ({
    ...fieldForColumn(column, tables, []),
    brings: addressesOf(column, tables),
  }));
  const main: Section = {
    key: 'main',
    title: table.title,
    columns: 2,
    fields,
    grid: null,
    page: null,
  };
  const taken = ['main', ...fields.map((field) => field.key)];
  const grids = childrenOf(table.key, tables)
    .filter((child) => child.owned)
    .map((child) => gridSection(child.table, child.link.key, tables, taken));
  return {
    format: planFormat,
    title,
    table: table.key,
    sections: [main, ...grids],
    startsAt: null,
    writes: [],
  };
}

/** The columns of other tables that refer to a table: what its lines can be. */
export function childrenOf(
  table: string,
  tables: House,
): { table: Table; link: Column; owned: boolean }[] {
  return [...tables.values()].flatMap((child) =>
    child.columns
      .filter(({ type }) => type.kind === 'reference' && type.table === table)
      // A child names what it belongs to before anything else.
      .map((link) => ({
        table: child,
        link,
        owned: link.required && child.columns[0] === link && child.key !== table,
      })),
  );
}

/** A section with the rows of a child table: a field per column but the link. */
export function gridSection(
  child: Table,
  link: string,
  tables: House,
  taken: readonly string[] = [],
): Section {
  const columns = child.columns.filter((c) => c.key !== link && c.type.kind !== 'code');
  return {
    key: keyFrom(child.title, taken),
    title: child.title,
    columns: 1,
    fields: columns.map((column) => fieldForColumn(column, tables)),
    grid: plainGrid(child.key, link),
    page: null,
  };
}

/** Adds the rows of a child table: to the form, or to the lines of a grid, behind which they stand then. */
export function addLines(
  plan: Plan,
  child: Table,
  link: string,
  tables: House,
  within: string | null = null,
): Plan {
  const taken = [...plan.sections.map((s) => s.key), ...fieldsOf(plan).map((f) => f.key)];
  const section = gridSection(child, link, tables, taken);
  const grid = section.grid && { ...section.grid, within };
  const at = within === null ? -1 : plan.sections.findIndex((s) => s.key === within);
  const before = at === -1 ? plan.sections : plan.sections.slice(0, at + 1);
  return {
    ...plan,
    sections: [...before, { ...section, grid }, ...plan.sections.slice(before.length)],
  };
}

/** A grid of the rows of a table, and nothing more said of it. */
export function plainGrid(table: string, link: string): Grid {
  return gridSchema.parse({ table, link });
}

/** The e-mail, web and phone columns of a referred record that do not show it anyway. */
function addressesOf({ type }: Column, tables: House): Bring[] {
  const to = type.kind === 'reference' ? tables.get(type.table) : undefined;
  return (to?.columns ?? [])
    .filter(
      (c) => c.type.kind === 'text' && c.type.format !== 'plain' && !to?.display.includes(c.key),
    )
    .slice(0, 3)
    .map(({ key }) => ({ path: key, by: null, into: null, keeps: 'live', editable: false }));
}

/** A field that saves to a column; a lookup, where the column is a reference. */
export function fieldForColumn(
  column: Column,
  tables: House,
  taken: readonly string[] = [],
): Field {
  return {
    ...plainField(column.label, taken),
    ...(taken.includes(column.key) ? {} : { key: column.key }),
    savesTo: column.key,
    required: column.required,
    choices: isLink(column.type) ? lookup(column.type.table, tables) : null,
  };
}

/** A working field that offers the records of a table. */
export function fieldForTable(table: Table, tables: House, taken: readonly string[] = []): Field {
  return { ...plainField(table.title, taken), choices: lookup(table.key, tables) };
}

/** A working field with nothing but a label. */
export function plainField(label: string, taken: readonly string[] = []): Field {
  return {
    key: keyFrom(label, taken),
    label,
    help: '',
    savesTo: null,
    holds: null,
    choices: null,
    brings: [],
    computes: null,
    rollup: null,
    outside: null,
    initial: null,
    initially: null,
    shows: 'input',
    control: 'box',
    required: false,
    requiredWhen: null,
    shownWhen: null,
    whileHidden: 'clear',
    carries: false,
    lockedWhen: null,
    checks: [],
  };
}

/** The lookup of a table: shown and ordered as the table shows its records, stored as a link. */
export function lookup(tableKey: string, tables: House): TableChoices {
  const table = tables.get(tableKey);
  const shown = table ? displayPaths(tables, table) : [];
  return {
    kind: 'table',
    table: tableKey,
    shown,
    stores: { kind: 'link' },
    order: shown.slice(0, 1).map((path) => ({ path, descending: false })),
    distinct: false,
    conditions: [],
    narrowings: [],
    takeOnly: false,
    typedBy: null,
    adds: true,
  };
}

/** Adds the field of a column at the end of a scope. */
export function addFieldForColumn(
  plan: Plan,
  scope: string,
  columnKey: string,
  tables: House,
): Plan {
  const at = scopesOf(plan).find(({ key }) => key === scope);
  const table = at && tables.get(at.table);
  const column = table && columnOf(table, columnKey);
  if (!column) return plan;
  const taken = at.fields.map((field) => field.key);
  return addField(plan, fieldForColumn(column, tables, taken), { scope });
}
