import { columnOf, type Column, type Table, type TableIndex } from '../table/definition';
import type { Operator } from '../table/conditions';
import type { View } from '../table/view';
import { lackingIndex } from './indexes';

/** Why a view of a large table is slow: all records are looked through for one column. */
export interface SlowView {
  by: 'sort' | 'filter';
  column: Column;
  /** The index with which they would not be; `null` where none helps. */
  index: TableIndex | null;
}

/** Comparisons whose records an index finds. */
const found = new Set<Operator>([
  'equal',
  'one_of',
  'at_least',
  'at_most',
  'between',
  'begins_with',
]);

/**
 * The column for which a view has all records of its table looked through: the one by which they are sorted, or that
 * is compared, where no index leads to it. Where another comparison leads to few of them, nothing is slow. Paths
 * through references are no columns of the table, and are told as their reference.
 */
export function slowBy(
  table: Table,
  { filter, sort }: Pick<View, 'filter' | 'sort'>,
): SlowView | null {
  if (filter.some(({ path, operator }) => leads(table, path, operator))) return null;
  const [first] = sort;
  if (first) return isIndexed(table, first.path) ? null : slow(table, first.path, 'sort', true);
  const [condition] = filter;
  return condition ? slow(table, condition.path, 'filter', found.has(condition.operator)) : null;
}

function leads(table: Table, path: string, operator: Operator): boolean {
  return isIndexed(table, path) && found.has(operator);
}

function isIndexed(table: Table, path: string): boolean {
  if (path === 'id') return true;
  const column = columnOf(table, path);
  if (!column) return false;
  const { unique, type } = column;
  const own = unique || type.kind === 'code' || type.kind === 'reference';
  return own || table.indexes.some(({ kind, columns }) => kind === 'order' && columns[0] === path);
}

function slow(table: Table, path: string, by: SlowView['by'], helps: boolean): SlowView | null {
  const [head = path] = path.split('.');
  const column = columnOf(table, head);
  if (!column) return null;
  const index = lackingIndex(table, { kind: 'order', columns: [head] });
  return { by, column, index: helps && head === path ? index : null };
}
