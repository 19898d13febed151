import { averageType } from '../values/amount';
import { columnOf, type House } from '../table/definition';
import { displayPaths, resolvePath, shortLabel } from '../table/paths';
import { plainText, type ValueType } from '../values/types';
import { type Field, type Plan, type Rollup } from './schema';
import { rootScope, type PlanScope } from './scopes';
import { tableChoices, type TableChoices } from './choices';

/** What a field of the form itself holds; see {@link heldTypeIn}. */
export function heldType(plan: Plan, field: Field, tables: House): ValueType {
  return heldTypeIn(rootScope(plan), field, tables);
}

/**
 * What a field holds: the type of the column it saves to, otherwise what its choices store, otherwise
 * what the plan says, otherwise what is rolled up or brought into it; plain text where nothing is said
 * or the column is gone.
 */
export function heldTypeIn(scope: PlanScope, field: Field, tables: House): ValueType {
  const target = tables.get(scope.table);
  const column = field.savesTo && target ? columnOf(target, field.savesTo) : undefined;
  if (column) return column.type;
  const passed = scope.through?.columns[field.key];
  if (scope.through && passed !== undefined) {
    return outsideType(tables, scope.through.query, passed) ?? plainText;
  }
  if (field.choices?.kind === 'options') {
    const { list } = field.choices;
    return { kind: 'option', list, options: tables.lists.get(list)?.values ?? [] };
  }
  if (field.choices?.kind === 'table') return storedType(field.choices, tables) ?? plainText;
  if (field.choices?.kind === 'outside') {
    const { query, stores } = field.choices;
    return outsideType(tables, query, stores) ?? plainText;
  }
  if (field.choices) return plainText;
  if (field.holds) return field.holds;
  if (field.rollup) return rollupType(field.rollup, tables);
  if (field.outside) {
    return outsideType(tables, field.outside.query, field.outside.column) ?? plainText;
  }
  return broughtType(scope, field, tables) ?? plainText;
}

/** What choices from a table store: a reference to it, or the type of the copied column. */
export function storedType(choices: TableChoices, tables: House): ValueType | null {
  const source = tables.get(choices.table);
  if (!source) return null;
  if (choices.stores.kind === 'link') return { kind: 'reference', table: source.key };
  return columnOf(source, choices.stores.column)?.type ?? null;
}

/** The type of a column of a query. */
export function outsideType(tables: House, query: string, column: string): ValueType | null {
  return tables.queries.get(query)?.columns.find(({ key }) => key === column)?.type ?? null;
}

/** The type of what a field asks for: an aggregate, or a column of a query. */
export function askedType(field: Field, tables: House): ValueType {
  if (field.rollup) return rollupType(field.rollup, tables);
  const { outside } = field;
  return (outside && outsideType(tables, outside.query, outside.column)) ?? plainText;
}

/** The type of an aggregate: whole for a count, otherwise the column's; averages have four places. */
export function rollupType(rollup: Rollup, tables: House): ValueType {
  if (rollup.aggregate === 'count') return { kind: 'whole' };
  const table = tables.get(rollup.table);
  const resolved = table && rollup.path ? resolvePath(tables, table, rollup.path) : null;
  const type = resolved?.column.type;
  if (rollup.aggregate === 'average') return averageType(type ?? null);
  if (rollup.aggregate !== 'sum' || type?.kind !== 'decimal') return type ?? { kind: 'whole' };
  return { ...type, precision: 38 };
}

/** The type of a column that a lookup of the scope brings into the field. */
export function broughtType(scope: PlanScope, field: Field, tables: House): ValueType | null {
  for (const lookup of scope.fields) {
    const bring = lookup.brings.find(({ into }) => into === field.key);
    if (!bring || bring.path === null) continue;
    const choices = tableChoices(lookup);
    const held: ValueType = choices ? { kind: 'reference', table: choices.table } : plainText;
    return chosenColumn(tables, lookup, held, bring.path)?.type ?? null;
  }
  return null;
}

/**
 * A column of what a field chooses, which can be brought along: of the record that it refers to, or of
 * the row of a query; `null` where there is none. `held` is what the field holds.
 */
export function chosenColumn(
  tables: House,
  { choices }: Field,
  held: ValueType,
  path: string,
): { label: string; type: ValueType } | null {
  if (choices?.kind === 'outside') {
    return tables.queries.get(choices.query)?.columns.find(({ key }) => key === path) ?? null;
  }
  const table = held.kind === 'reference' ? tables.get(held.table) : undefined;
  const resolved = table && resolvePath(tables, table, path);
  return resolved ? { label: shortLabel(tables, table, path), type: resolved.column.type } : null;
}

/**
 * The columns of the list as paths that end in a plain value: a reference among the shown columns is
 * replaced by what first shows the referred record. With distinct values only the copied column is left.
 */
export function shownPaths(choices: TableChoices, tables: House): string[] {
  const source = tables.get(choices.table);
  if (!source) return [];
  if (choices.distinct && choices.stores.kind === 'copy') {
    return [leafPath(tables, choices.table, choices.stores.column)];
  }
  const shown = choices.shown.length > 0 ? choices.shown : displayPaths(tables, source);
  return shown.map((path) => leafPath(tables, choices.table, path));
}

/** The path to what shows people a column: of a reference, what first shows the referred record. */
export function leafPath(tables: House, tableKey: string, path: string): string {
  const table = tables.get(tableKey);
  const resolved = table ? resolvePath(tables, table, path) : null;
  if (resolved?.column.type.kind !== 'reference') return path;
  const referred = tables.get(resolved.column.type.table);
  return referred ? `${path}.${displayPaths(tables, referred)[0] ?? 'id'}` : path;
}
