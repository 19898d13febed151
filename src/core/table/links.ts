import type { ValueType } from '../values/types';
import type { Column, Table, House } from './definition';

/** The longest name that a table can have in the database. */
const longestName = 64;

/** The table that holds the links of a column with several references: a pair of ids each. */
export interface LinkTable {
  name: string;
  /** The column with the record that has the links. */
  own: string;
  /** The column with the record that is linked. */
  other: string;
}

/**
 * Where the links of a column are kept; `null` for a column without links. A column that mirrors another
 * one has the same links, seen from their other side.
 */
export function linkTable(table: string, { key, type }: Column): LinkTable | null {
  if (type.kind !== 'references') return null;
  if (type.mirrors !== null) {
    const { name, own, other } = owned(type.table, type.mirrors, table);
    return { name, own: other, other: own };
  }
  return owned(table, key, type.table);
}

/** Whether links are seen from their other side; they belong to the first one. */
export function isOtherSide(type: ValueType): boolean {
  return type.kind === 'references' && type.mirrors !== null;
}

/** The name of the table that holds the links of a column. */
export function linksName(table: string, column: string): string {
  return `${table}__${column}`;
}

/** The tables of links that belong to the columns of a table. */
export function ownLinks({ key, columns }: Table): { column: Column; name: string }[] {
  return columns.flatMap((column) => {
    const links = isOtherSide(column.type) ? null : linkTable(key, column);
    return links ? [{ column, name: links.name }] : [];
  });
}

/** The columns of a table that are kept in it, those with several references left out. */
export function keptColumns(table: Table): Column[] {
  return table.columns.filter((column) => column.type.kind !== 'references');
}

/** Whether the name of a link table would be too long for the database. */
export function linkNameTooLong(table: string, column: Column): boolean {
  return (linkTable(table, column)?.name.length ?? 0) > longestName;
}

/** The column in which the links of a column stand from their other side; `null` where they stand in none. */
export function otherSide(
  tables: House,
  table: string,
  { key, type }: Column,
): { table: string; column: Column } | null {
  if (type.kind !== 'references') return null;
  const column = tables.get(type.table)?.columns.find((other) => {
    if (type.mirrors !== null) return other.key === type.mirrors;
    return (
      other.type.kind === 'references' && other.type.table === table && other.type.mirrors === key
    );
  });
  return column ? { table: type.table, column } : null;
}

/** Whether a column mirrors one that is there and refers back to `table`. */
export function mirrorsRightly(tables: House, table: string, { type }: Column): boolean {
  if (type.kind !== 'references' || type.mirrors === null) return true;
  const mirrored = tables.get(type.table)?.columns.find((c) => c.key === type.mirrors)?.type;
  return mirrored?.kind === 'references' && mirrored.table === table && mirrored.mirrors === null;
}

function owned(table: string, column: string, target: string): LinkTable {
  return {
    name: linksName(table, column),
    own: table,
    other: target === table ? `linked_${target}` : target,
  };
}
