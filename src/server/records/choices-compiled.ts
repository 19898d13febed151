import type { Row } from '../database/rows';
import { type Choice, pageSize } from '$lib/core/entry/asks';
import { shownPaths, storedType } from '$lib/core/plan/held';
import type { TableChoices } from '$lib/core/plan/choices';
import { fail } from '$lib/core/problems';
import { fixedBy, narrowedBy, type Condition, type Order } from '$lib/core/table/conditions';
import type { House } from '$lib/core/table/definition';
import type { Value, ValueType } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { TableQuery, type Expression, type OrderTerm, type Piece } from './query';
import { isOrdered } from './found-words';
import { fromDatabase } from './values';

/** What is wanted of the choices of a field. */
export interface ChoicesWish {
  choices: TableChoices;
  /** Values of the narrowing fields. */
  given: Readonly<Record<string, Value>>;
  /** The value that is to be confirmed. */
  current: Value;
  search?: string;
  after?: string;
  limit?: number;
  /** Counts all that there is. */
  whole?: boolean;
  /** By one of the shown columns, instead of the designed order. */
  order?: { column: number; descending: boolean };
}

export interface CompiledChoices {
  query: TableQuery;
  value: Expression;
  shown: Expression[];
  conditions: (Condition & { field: string | null })[];
  distinct: boolean;
  order: readonly Order[];
  /** The rows that are looked through at all; `null` where all are. */
  among: Piece | null;
}

/** What makes a record one that is offered. */
export function offeredWhere({ query, conditions }: CompiledChoices): Piece[] {
  return conditions.map((condition) => query.condition(condition));
}

/** What holds for the records that a list is read from. */
export function readFrom(compiled: CompiledChoices): Piece[] {
  return [...offeredWhere(compiled), ...(compiled.among ? [compiled.among] : [])];
}

/** A wish made ready for SQL: what is read, under which conditions. */
export function compileChoices(
  db: Database,
  tables: House,
  { choices, given }: Pick<ChoicesWish, 'choices' | 'given'>,
): CompiledChoices {
  const table = tables.whole.get(choices.table);
  const stored = storedType(choices, tables);
  if (!table || !stored) return fail('unknown_table', { table: choices.table });
  const query = new TableQuery(db, tables, table);
  const valuePath = choices.stores.kind === 'link' ? 'id' : choices.stores.column;
  const value = { sql: query.column(valuePath).sql, type: stored };
  const narrowed = choices.narrowings.flatMap((n) => {
    const condition = narrowedBy(n.path, n.operator, given[n.field] ?? null);
    return condition ? [{ ...condition, field: n.field }] : [];
  });
  return {
    query,
    value,
    shown: shownPaths(choices, tables).map((path) => query.column(path)),
    conditions: [...choices.conditions.map((c) => ({ ...c, field: null })), ...narrowed],
    distinct: choices.distinct,
    order: choices.order,
    among: null,
  };
}

/** The shown column by which a list is sorted, where it is by one. */
export function sortedBy(
  { shown }: CompiledChoices,
  { order }: ChoicesWish,
): OrderTerm | undefined {
  const by = order && shown[order.column];
  return by && { ...by, descending: order.descending };
}

/** Whether an index holds the list in its order. */
export function isIndexed({ query, value, order, distinct, conditions }: CompiledChoices): boolean {
  const terms = distinct ? [{ ...value, descending: false }] : query.order(order).slice(0, -1);
  return isOrdered(query.table, terms, fixedBy(conditions));
}

export function pageLimit({ limit = pageSize }: ChoicesWish): number {
  return Math.min(limit, pageSize);
}

/** A row of the list, its columns being c0 (the value), c1 … */
export function choiceOf(row: Row, type: ValueType, shown: readonly Expression[]): Choice {
  return {
    value: fromDatabase(type, row.c0),
    shown: shown.map((e, i) => fromDatabase(e.type, row[`c${i + 1}`])),
  };
}
