import { isLink } from '../values/types';
import type { Column, Table, House } from './definition';
import { renamedView } from './view';

/** The definitions that change when a column gets another key: its own table's, and those that mirror it. */
export function renameColumnIn(tables: House, table: string, from: string, to: string): Table[] {
  return changed(tables, (candidate) => ({
    ...(candidate.key === table ? renamedColumn(candidate, from, to) : candidate),
    columns: candidate.columns.map((column) => ({
      ...column,
      key: candidate.key === table && column.key === from ? to : column.key,
      type: mirrors(column, table, from) ? { ...column.type, mirrors: to } : column.type,
    })) as Column[],
  }));
}

/** The definitions that change when a table gets another key: its own, and those that refer to it. */
export function renameTableIn(tables: House, from: string, to: string): Table[] {
  return changed(tables, (table) => ({
    ...table,
    key: table.key === from ? to : table.key,
    columns: table.columns.map((column) => {
      const { type } = column;
      return isLink(type) && type.table === from
        ? { ...column, type: { ...type, table: to } }
        : column;
    }),
  }));
}

/** A definition without one of its columns; it is taken out of the display and of indexes. */
export function withoutColumn(table: Table, key: string): Table {
  const others = (keys: readonly string[]) => keys.filter((other) => other !== key);
  return {
    ...table,
    columns: table.columns.filter((column) => column.key !== key),
    display: others(table.display),
    indexes: table.indexes
      .map((index) => {
        const columns = others(index.columns);
        if (!index.beside || columns.length === index.columns.length) return { ...index, columns };
        // The words of the column that is gone stand beside the others: they are taken in anew.
        return { ...index, columns, beside: { ...index.beside, whole: false } };
      })
      .filter((index) => index.columns.length > 0),
    ...viewsWith(table, (other) => (other === key ? null : other)),
  };
}

function viewsWith(
  { views }: Table,
  named: (key: string) => string | null,
): Pick<Table, 'views'> | object {
  return views ? { views: views.map((view) => renamedView(view, named)) } : {};
}

function changed(tables: House, change: (table: Table) => Table): Table[] {
  return [...tables.values()].flatMap((table) => {
    const after = change(table);
    return JSON.stringify(after) === JSON.stringify(table) ? [] : [after];
  });
}

function renamedColumn(table: Table, from: string, to: string): Table {
  const named = (keys: readonly string[]) => keys.map((key) => (key === from ? to : key));
  return {
    ...table,
    display: named(table.display),
    indexes: table.indexes.map((index) => ({ ...index, columns: named(index.columns) })),
    ...viewsWith(table, (key) => (key === from ? to : key)),
  };
}

function mirrors({ type }: Column, table: string, column: string): boolean {
  return type.kind === 'references' && type.table === table && type.mirrors === column;
}
