import { rowsOf } from '../database/rows';
import { valueOfAmount } from '$lib/core/values/amount';
import { isAmount } from '$lib/core/values/types';
import { Decimal } from 'decimal.js';
import { rollupType } from '$lib/core/plan/held';
import type { Rollup } from '$lib/core/plan/schema';
import { narrowedBy } from '$lib/core/table/conditions';
import type { House } from '$lib/core/table/definition';
import type { Value, ValueType } from '$lib/core/values/types';
import { tableFrom } from '../catalog/tables';
import type { Database, Runner } from '../database/connection';
import { allOf, TableQuery, type Piece } from './query';
import { fromDatabase } from './values';

const functions = {
  count: 'count',
  sum: 'sum',
  least: 'min',
  greatest: 'max',
  average: 'avg',
} as const;

/**
 * An aggregate under the values of the narrowing fields, in canonical form of its type. Nothing to
 * count or to sum gives 0; without any record there is no least, greatest or average.
 */
export async function readRollup(
  db: Database,
  runner: Runner,
  tables: House,
  rollup: Rollup,
  given: Readonly<Record<string, Value>>,
): Promise<Value> {
  // A total counts everything, whoever fills the form in.
  const { whole } = tables;
  const query = new TableQuery(db, whole, tableFrom(whole, rollup.table));
  const narrowed = rollup.narrowings.flatMap(({ path, operator, field }) => {
    return narrowedBy(path, operator, given[field] ?? null) ?? [];
  });
  const where = allOf([...rollup.conditions, ...narrowed].map((c) => query.condition(c)));
  const total = aggregateSql(query, rollup);
  const sql = `select ${total.sql} as n ${query.from()} where ${where.sql}`;
  const [row] = await rowsOf(runner, sql, [...total.bindings, ...where.bindings]);
  return canonical(rollupType(rollup, tables), rollup.aggregate, row?.n ?? null);
}

/**
 * The same aggregate under several values of its narrowing fields, in one query where each of them
 * compares a number or a record with “is”; otherwise one after the other.
 */
export async function readRollups(
  db: Database,
  runner: Runner,
  tables: House,
  rollup: Rollup,
  givens: readonly Readonly<Record<string, Value>>[],
): Promise<Value[]> {
  const { whole } = tables;
  const query = new TableQuery(db, whole, tableFrom(whole, rollup.table));
  const by = rollup.narrowings.map(({ path }) => query.column(path));
  const keys = givens.map((given) =>
    rollup.narrowings.map(({ field }) => {
      const value = given[field];
      return typeof value === 'number' ? value : null;
    }),
  );
  const plain = rollup.narrowings.every(({ operator }, i) => {
    const kind = by[i]?.type.kind;
    return operator === 'equal' && (kind === 'reference' || kind === 'whole');
  });
  const numbers = keys.every((key) => key.every((value) => value !== null));
  if (givens.length < 2 || by.length === 0 || !plain || !numbers) {
    return Promise.all(givens.map((given) => readRollup(db, runner, tables, rollup, given)));
  }
  const where = allOf(rollup.conditions.map((c) => query.condition(c)));
  const columns = by.map(({ sql }) => sql).join(', ');
  const places = keys.map((key) => `(${key.map(() => '?').join(', ')})`).join(', ');
  const select = by.map(({ sql }, i) => `${sql} as k${i}`).join(', ');
  const total = aggregateSql(query, rollup);
  const sql = `select ${select}, ${total.sql} as n ${query.from()} where (${columns}) in (${places}) and ${where.sql} group by ${columns}`;
  const rows = await rowsOf(runner, sql, [...total.bindings, ...keys.flat(), ...where.bindings]);
  const found = new Map(rows.map((row) => [by.map((_, i) => Number(row[`k${i}`])).join(), row.n]));
  const type = rollupType(rollup, tables);
  const none = rollup.aggregate === 'count' ? 0 : null;
  return keys.map((key) => canonical(type, rollup.aggregate, found.get(key.join()) ?? none));
}

/** `sum(…)`, `count(*)`; with what is taken off: `sum(if(…, -…, …))`. */
function aggregateSql(query: TableQuery, { aggregate, path, less }: Rollup): Piece {
  const counted = aggregate === 'count' || path === null ? '*' : query.column(path).sql;
  if (less.length === 0) return { sql: `${functions[aggregate]}(${counted})`, bindings: [] };
  const one = counted === '*' ? '1' : counted;
  const taken = allOf(less.map((c) => query.condition(c)));
  return { sql: `sum(if(${taken.sql}, -${one}, ${one}))`, bindings: taken.bindings };
}

function canonical(type: ValueType, aggregate: Rollup['aggregate'], found: unknown): Value {
  if (found !== null && !isAmount(type)) return fromDatabase(type, found);
  if (found !== null) return valueOfAmount(type, new Decimal(String(found)));
  if (aggregate === 'count') return 0;
  return aggregate === 'sum' ? valueOfAmount(type, new Decimal(0)) : null;
}
