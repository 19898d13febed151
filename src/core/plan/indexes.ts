import { columnOf, isUnique, type House, type Table, type TableIndex } from '../table/definition';
import { fixedBy } from '../table/conditions';
import { resolvePath } from '../table/paths';
import { longestCode } from '../values/code';
import { severalIn, type ValueType } from '../values/types';
import { tableChoices } from './choices';
import { shownPaths } from './held';
import type { Field, Plan } from './schema';
import { scopesOf } from './scopes';

/** An index over a table. */
export interface WantedIndex {
  table: string;
  index: TableIndex;
}

/** From so many records on a table is large: what is asked of it has to have an index. */
export const largeFrom = 100_000;

/** The indexes of a plan that its tables do not have yet: publishing makes them. */
export function missingIndexes(plan: Plan, tables: House): WantedIndex[] {
  const found: WantedIndex[] = [];
  for (const { table: key, index } of wantedIndexes(plan, tables)) {
    const table = tables.get(key);
    const lacking = table && lackingIndex(table, index);
    const known = found.filter((one) => one.table === key).map((one) => one.index);
    if (lacking && !hasIndex(known, lacking)) found.push({ table: key, index: lacking });
  }
  return found;
}

/** Whether an index over so many records stands beside them: while words are taken in, nobody can write to their table. */
export function standsBeside({ kind }: TableIndex, records: number): boolean {
  return kind === 'search' && records >= largeFrom;
}

/** Whether the choices of a field are looked through in a large table, until publishing makes an index for them. */
export function isLookedThrough(
  field: Field,
  tables: House,
  counts: ReadonlyMap<string, number>,
): boolean {
  return choiceIndexes(field, tables).some(({ table: key, index }) => {
    const table = tables.get(key);
    const large = (counts.get(key) ?? 0) >= largeFrom;
    const asked = index.kind === 'search' || tableChoices(field)?.distinct === true;
    return large && asked && table !== undefined && lackingIndex(table, index) !== null;
  });
}

/** Whether the words of what a field offers are being taken in beside a large table: until all are, it is looked through. */
export function isTakenIn(field: Field, tables: House): boolean {
  return choiceIndexes(field, tables).some(({ table, index }) => {
    const made = tables.get(table)?.indexes.find((one) => isSame(one, index));
    return made?.beside?.whole === false;
  });
}

/** Whether the choices of a field are too many to be sorted: no index can give their order, and they come without it. */
export function isUnsorted(
  field: Field,
  tables: House,
  counts: ReadonlyMap<string, number>,
): boolean {
  const choices = tableChoices(field);
  const table = choices && tables.get(choices.table);
  if (!choices || !table || choices.distinct || (counts.get(table.key) ?? 0) < largeFrom) {
    return false;
  }
  const made = choiceIndexes(field, tables).flatMap(({ table: of, index }) =>
    of === table.key ? (fittingIndex(table, index) ?? []) : [],
  );
  const order = choices.order.map(({ path, descending }) => ({ key: path, descending }));
  const fixed = fixedBy([...choices.conditions, ...choices.narrowings]);
  return !givesOrder({ ...table, indexes: [...table.indexes, ...made] }, order, fixed);
}

/** What of an index fits into one key of a table that does not have it; `null` where there is nothing to make. */
export function lackingIndex(table: Table, index: TableIndex): TableIndex | null {
  const fitting = fittingIndex(table, index);
  if (!fitting || hasIndex(table.indexes, fitting)) return null;
  const [only = '', ...others] = fitting.columns;
  // What its own unique index gives needs no other one.
  return fitting.kind === 'order' && others.length === 0 && isTotal(table, only) ? null : fitting;
}

/**
 * Whether an index gives the records of a table in an order, with their number at its end: then a page of them costs
 * the same however many there are. `fixed` are columns that have one value in all that is asked for.
 */
export function givesOrder(
  table: Table,
  order: readonly { key: string; descending: boolean }[],
  fixed: ReadonlySet<string> = new Set(),
): boolean {
  const open = (key: string) => !fixed.has(key);
  const left = order.filter(({ key }) => open(key));
  const total = left.findIndex(({ key }) => isTotal(table, key));
  const ordering = left.slice(0, total === -1 ? undefined : total + 1);
  if (ordering.some(({ descending }) => descending !== ordering[0]?.descending)) return false;
  const keys = ordering.map(({ key }) => key);
  const [only] = keys;
  if (only === undefined || (keys.length === 1 && (total === 0 || hasOwn(table, only))))
    return true;
  return table.indexes.some(
    ({ kind, columns }) => kind === 'order' && columns.filter(open).join() === keys.join(),
  );
}

/** Whether no two records are alike in a column, and each has something there. */
function isTotal(table: Table, key: string): boolean {
  const column = columnOf(table, key);
  return key === 'id' || (column !== undefined && isUnique(column) && column.required);
}

/** Whether a reference has the index of its foreign key alone: the database does without it where another one begins so. */
function hasOwn(table: Table, key: string): boolean {
  const begins = ({ kind, columns }: TableIndex) => kind === 'order' && columns[0] === key;
  return columnOf(table, key)?.type.kind === 'reference' && !table.indexes.some(begins);
}

/** Whether an index is among others: of the same kind, over the same columns. */
export function hasIndex(among: readonly TableIndex[], index: TableIndex): boolean {
  return among.some((one) => isSame(one, index));
}

function isSame(one: TableIndex, { kind, columns }: TableIndex): boolean {
  return one.kind === kind && one.columns.join() === columns.join();
}

/** So many records of a table pass into an index in a second, about, on one slow processor; into words beside it, with pauses. */
const perSecond = { search: 50_000, order: 400_000, beside: 12_000 } as const;

/** How long it takes to make an index over so many records, about; seconds. */
export function secondsFor(index: TableIndex, records: number): number {
  return Math.ceil(records / perSecond[standsBeside(index, records) ? 'beside' : index.kind]);
}

/** The indexes with which the choices and rollups of a plan are found quickly. */
export function wantedIndexes(plan: Plan, tables: House): WantedIndex[] {
  const fields = scopesOf(plan).flatMap((scope) => scope.fields);
  return [
    ...fields.flatMap((field) => choiceIndexes(field, tables)),
    ...fields.flatMap((field) => rollupIndexes(field, tables)),
  ];
}

/** An index that holds all that an aggregate reads, so that the records need not be touched. */
function rollupIndexes({ rollup }: Field, tables: House): WantedIndex[] {
  const table = rollup && tables.get(rollup.table);
  if (!rollup || !table) return [];
  const equal = [...rollup.narrowings, ...rollup.conditions].filter(
    (c) => c.operator === 'equal' || c.operator === 'one_of',
  );
  const columns = [...equal.map((c) => c.path), ...(rollup.path === null ? [] : [rollup.path])];
  const own = [...new Set(columns.filter((path) => !path.includes('.')))];
  return own.length > 0 ? [{ table: table.key, index: { kind: 'order', columns: own } }] : [];
}

function choiceIndexes(field: Field, tables: House): WantedIndex[] {
  const choices = tableChoices(field);
  const table = choices && tables.get(choices.table);
  if (!choices || !table) return [];
  const equal = own(choices.narrowings.filter((n) => n.operator === 'equal').map((n) => n.path));
  const copied = choices.stores.kind === 'copy' ? [choices.stores.column] : [];
  const order = own(choices.distinct ? copied : choices.order.map((o) => o.path));
  const columns = [...new Set([...equal, ...order])];
  return [
    ...(columns.length > 0
      ? [{ table: table.key, index: { kind: 'order', columns } } as const]
      : []),
    ...searchIndexes(table, shownPaths(choices, tables), tables),
  ];
}

const own = (paths: readonly string[]) => paths.filter((path) => !path.includes('.'));

/** The indexes by which words are found in what is shown of the records of a table. */
export function searchIndexes(
  table: Table,
  shown: readonly string[],
  tables: House,
): WantedIndex[] {
  const texts = shown.filter((path) => {
    const kind = resolvePath(tables, table, path)?.column.type.kind;
    return kind === 'text' || kind === 'long_text';
  });
  const columns = own(texts);
  return [
    ...(columns.length > 0
      ? [{ table: table.key, index: { kind: 'search', columns } } as const]
      : []),
    ...referredIndexes(table, texts),
  ];
}

/** Where the texts that are shown stand in records that are referred to, words are looked for there. */
function referredIndexes(table: Table, shown: readonly string[]): WantedIndex[] {
  const columns = new Map<string, string[]>();
  for (const path of shown) {
    const [by = '', column, ...further] = path.split('.');
    if (column === undefined || further.length > 0) continue;
    columns.set(by, [...(columns.get(by) ?? []), column]);
  }
  return [...columns].flatMap(([by, found]): WantedIndex[] => {
    const type = columnOf(table, by)?.type;
    if (type?.kind !== 'reference') return [];
    return [{ table: type.table, index: { kind: 'search', columns: found } }];
  });
}

/** The index without the columns that do not fit into one key; `null` where nothing useful is left. */
function fittingIndex(table: Table, index: TableIndex): TableIndex | null {
  if (index.kind === 'search') return index.columns.length > 0 ? index : null;
  const columns: string[] = [];
  let bytes = 0;
  for (const key of new Set(index.columns)) {
    const column = columnOf(table, key);
    if (!column || column.type.kind === 'long_text' || severalIn(column.type)) break;
    bytes += keyBytes(column.type);
    if (bytes > 3000) break;
    columns.push(key);
  }
  return columns.length > 0 ? { kind: 'order', columns } : null;
}

function keyBytes(type: ValueType): number {
  if (type.kind === 'text') return type.length * 4 + 3;
  if (type.kind === 'option') return 403;
  if (type.kind === 'code') return longestCode * 4 + 3;
  return 20;
}
