import { Decimal } from 'decimal.js';
import { rollupType } from '$lib/core/plan/held';
import type { Rollup } from '$lib/core/plan/schema';
import { narrowedBy } from '$lib/core/table/conditions';
import type { Tables } from '$lib/core/table/definition';
import type { Value, ValueType } from '$lib/core/values/types';
import { tableFrom } from '../catalog/tables';
import type { Database, Runner } from '../database/connection';
import { allOf, TableQuery } from './query';
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
  tables: Tables,
  rollup: Rollup,
  given: Readonly<Record<string, Value>>,
): Promise<Value> {
  const query = new TableQuery(db, tables, tableFrom(tables, rollup.table));
  const counted =
    rollup.aggregate === 'count' || rollup.path === null ? '*' : query.column(rollup.path).sql;
  const narrowed = rollup.narrowings.flatMap(({ path, operator, field }) => {
    return narrowedBy(path, operator, given[field] ?? null) ?? [];
  });
  const where = allOf([...rollup.conditions, ...narrowed].map((c) => query.condition(c)));
  const sql = `select ${functions[rollup.aggregate]}(${counted}) as n ${query.from()} where ${where.sql}`;
  const [[row]] = await runner.raw(sql, where.bindings as never);
  return canonical(rollupType(rollup, tables), rollup.aggregate, row?.n ?? null);
}

function canonical(type: ValueType, aggregate: Rollup['aggregate'], found: unknown): Value {
  if (found === null)
    return aggregate !== 'sum'
      ? null
      : type.kind === 'decimal'
        ? new Decimal(0).toFixed(type.scale)
        : 0;
  if (type.kind === 'decimal')
    return new Decimal(String(found)).toFixed(type.scale, Decimal.ROUND_HALF_UP);
  return fromDatabase(type, found);
}
