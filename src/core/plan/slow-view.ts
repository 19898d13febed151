import { columnOf, isUnique, type Column, type Table, type TableIndex } from '../table/definition';
import type { Operator } from '../table/conditions';
import type { View } from '../table/view';
import { givesOrder, lackingIndex } from './indexes';

/** Why a view of a large table is slow: all records are looked through for some columns. */
export interface SlowView {
  by: 'sort' | 'filter';
  columns: Column[];
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
 * The columns for which a view has all records of its table looked through: those by which they are sorted, or that
 * is compared, where no index leads to it. Where another comparison leads to few of them, nothing is slow. Paths
 * through references are no columns of the table, and are told as their reference.
 */
export function slowBy(
  table: Table,
  { filter, sort }: Pick<View, 'filter' | 'sort'>,
): SlowView | null {
  if (filter.some(({ path, operator }) => leads(table, path, operator))) return null;
  if (sort.length > 0) {
    const order = sort.map(({ path, descending }) => ({ key: path, descending }));
    if (givesOrder(table, order)) return null;
    const alike = order.every(({ descending }) => descending === order[0]?.descending);
    return slow(table, sort, 'sort', alike);
  }
  const [condition] = filter;
  return condition ? slow(table, [condition], 'filter', found.has(condition.operator)) : null;
}

function leads(table: Table, path: string, operator: Operator): boolean {
  return isIndexed(table, path) && found.has(operator);
}

function isIndexed(table: Table, path: string): boolean {
  if (path === 'id') return true;
  const column = columnOf(table, path);
  if (!column) return false;
  const own = isUnique(column) || column.type.kind === 'reference';
  return own || table.indexes.some(({ kind, columns }) => kind === 'order' && columns[0] === path);
}

function slow(
  table: Table,
  by: readonly { path: string }[],
  what: SlowView['by'],
  helps: boolean,
): SlowView | null {
  const columns = by.flatMap(({ path }) => columnOf(table, path.split('.')[0] ?? path) ?? []);
  if (columns.length === 0) return null;
  const own = columns.map(({ key }) => key);
  const index = lackingIndex(table, { kind: 'order', columns: own });
  const whole = index?.columns.length === by.length && by.every(({ path }) => own.includes(path));
  return { by: what, columns, index: helps && whole ? index : null };
}
