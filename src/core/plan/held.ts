import { columnOf, type Tables } from '../table/definition';
import { displayPaths, resolvePath } from '../table/paths';
import { plainText, type ValueType } from '../values/types';
import type { Field, Plan, TableChoices } from './schema';

/**
 * What a field holds: the type of the column it saves to, otherwise what its choices store,
 * otherwise what the plan says; plain text where nothing is said or the column is gone.
 */
export function heldType(plan: Plan, field: Field, tables: Tables): ValueType {
  const target = tables.get(plan.table);
  const column = field.savesTo && target ? columnOf(target, field.savesTo) : undefined;
  if (column) return column.type;
  if (field.choices?.kind === 'table') return storedType(field.choices, tables) ?? plainText;
  if (field.choices?.kind === 'values') return plainText;
  return field.holds ?? plainText;
}

/** What choices from a table store: a reference to it, or the type of the copied column. */
export function storedType(choices: TableChoices, tables: Tables): ValueType | null {
  const source = tables.get(choices.table);
  if (!source) return null;
  if (choices.stores.kind === 'link') return { kind: 'reference', table: source.key };
  return columnOf(source, choices.stores.column)?.type ?? null;
}

/**
 * The columns of the list as paths that end in a plain value: a reference among the shown columns is
 * replaced by what first shows the referred record. With distinct values only the copied column is left.
 */
export function shownPaths(choices: TableChoices, tables: Tables): string[] {
  const source = tables.get(choices.table);
  if (!source) return [];
  if (choices.distinct && choices.stores.kind === 'copy') {
    return [leafPath(tables, choices.table, choices.stores.column)];
  }
  const shown = choices.shown.length > 0 ? choices.shown : displayPaths(tables, source);
  return shown.map((path) => leafPath(tables, choices.table, path));
}

function leafPath(tables: Tables, tableKey: string, path: string): string {
  const table = tables.get(tableKey);
  const resolved = table ? resolvePath(tables, table, path) : null;
  if (resolved?.column.type.kind !== 'reference') return path;
  const referred = tables.get(resolved.column.type.table);
  return referred ? `${path}.${displayPaths(tables, referred)[0] ?? 'id'}` : path;
}
