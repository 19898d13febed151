import { never, type Operand, type RecordCondition } from '$lib/core/access/sight';
import type { House, Table } from '$lib/core/table/definition';
import { resolvePath } from '$lib/core/table/paths';
import type { Value, ValueType } from '$lib/core/values/types';
import { tableFrom } from '../catalog/tables';
import type { Database, Runner } from '../database/connection';
import { tableSql } from '../database/ddl';
import { rowsOf } from '../database/rows';

/**
 * The one place where rights by record enter SQL. Every read of a designer's table names it by {@link seenTable}; a
 * condition's values are written into the text as numbers or as hexadecimal strings, which nothing can break out of.
 */

/** A table under an alias, with only those records that the person who asks sees. */
export function seenTable(db: Database, tables: House, key: string, alias: string): string {
  const name = `${tableSql(db, key)} ${alias}`;
  const seen = seenWhere(db, tables, key, alias);
  // A join with a single row: the table stays itself, with its indexes.
  return seen === '' ? name : `${name} join (select 1) ${alias}_seen on ${seen}`;
}

/** What must hold for a record to be seen; empty where nothing must. */
export function seenWhere(db: Database, tables: House, key: string, alias: string): string {
  const { sight, whole } = tables;
  if (!sight) return '';
  const seen = sight.get(key);
  if (seen?.when === null) return '';
  return conditionSql(db, whole, tableFrom(whole, key), seen?.when ?? never, alias);
}

/** Those of some records that the person who asks sees. */
export async function seenIds(
  db: Database,
  runner: Runner,
  tables: House,
  key: string,
  ids: readonly number[],
): Promise<Set<number>> {
  const sight = tables.sight?.get(key);
  if (!tables.sight || sight?.when === null || ids.length === 0) return new Set(ids);
  if (!sight) return new Set();
  const places = ids.map(() => '?').join(', ');
  const sql = `select r.id as id from ${seenTable(db, tables, key, 'r')} where r.id in (${places})`;
  return new Set((await rowsOf(runner, sql, ids)).map(({ id }) => Number(id)));
}

/** A condition as SQL over the record under the alias. */
export function conditionSql(
  db: Database,
  tables: House,
  table: Table,
  condition: RecordCondition,
  alias: string,
): string {
  const inner = (one: RecordCondition) => conditionSql(db, tables, table, one, alias);
  switch (condition.is) {
    case 'all':
      return condition.of.length === 0 ? 'true' : `(${condition.of.map(inner).join(' and ')})`;
    case 'any':
      return condition.of.length === 0 ? 'false' : `(${condition.of.map(inner).join(' or ')})`;
    case 'empty':
      return overColumn(db, tables, table, condition.of, alias, condition.yes, (sql) =>
        condition.yes ? `${sql} is null` : `${sql} is not null`,
      );
    case 'compare': {
      const { left, right, sign } = condition;
      if (left.is === 'column' && right.is === 'column') {
        const sides = [left, right].map((side) => scalar(db, tables, table, side.path, alias));
        return compared(sides[0] ?? 'null', sign, sides[1] ?? 'null');
      }
      const [column, other] = left.is === 'column' ? [left, right] : [right, left];
      if (column.is !== 'column' || other.is !== 'value') {
        const [a, b] = [left, right].map((side) => (side.is === 'value' ? side.value : null));
        return compared(literal(a ?? null, null), sign, literal(b ?? null, null));
      }
      const said = column === left ? sign : turned[sign];
      const value = literal(other.value, column.type);
      return overColumn(db, tables, table, column, alias, said === '!=', (sql) =>
        compared(sql, said, value),
      );
    }
  }
}

const turned = { '=': '=', '!=': '!=', '<': '>', '<=': '>=', '>': '<', '>=': '<=' } as const;

function compared(left: string, sign: keyof typeof turned, right: string): string {
  if (sign !== '!=') return `${left} ${sign} ${right}`;
  return `(${left} <> ${right} or ${left} is null)`;
}

/** Something about a column; behind references as `reference in (select …)`, which indexes serve. */
function overColumn(
  db: Database,
  tables: House,
  table: Table,
  operand: Operand,
  alias: string,
  /** Whether it holds of what is absent, as behind a reference that is not set. */
  absent: boolean,
  holds: (sql: string) => string,
): string {
  if (operand.is !== 'column') return 'false';
  const path = operand.path.join('.');
  const resolved = resolvePath(tables, table, path);
  if (!resolved) return 'false';
  const [first] = resolved.steps;
  if (!first) return holds(`${alias}.\`${resolved.column.key}\``);
  const rest: Operand = { ...operand, path: operand.path.slice(1) };
  const next = `${alias}x`;
  const inner = overColumn(db, tables, first.to, rest, next, absent, holds);
  const reference = `${alias}.\`${first.column.key}\``;
  const found = `${reference} in (select ${next}.id from ${tableSql(db, first.to.key)} ${next} where ${inner})`;
  return absent ? `(${found} or ${reference} is null)` : found;
}

/** A column behind references as one value. */
function scalar(
  db: Database,
  tables: House,
  table: Table,
  path: readonly string[],
  alias: string,
): string {
  const [step] = resolvePath(tables, table, path.join('.'))?.steps ?? [];
  if (!step) return `${alias}.\`${path[0]}\``;
  const next = `${alias}x`;
  const inner = scalar(db, tables, step.to, path.slice(1), next);
  return `(select ${inner} from ${tableSql(db, step.to.key)} ${next} where ${next}.id = ${alias}.\`${step.column.key}\`)`;
}

/** A value written into SQL: a number, or a string by its bytes. */
function literal(value: Value, type: ValueType | null): string {
  if (value === null || typeof value === 'object') return 'null';
  if (typeof value === 'boolean') return value ? '1' : '0';
  if (typeof value === 'number') return Number.isSafeInteger(value) ? String(value) : 'null';
  const number = type === null || type.kind === 'decimal' || type.kind === 'whole';
  if (number && /^-?\d{1,40}(\.\d{1,40})?$/.test(value)) return value;
  return `_utf8mb4 x'${Buffer.from(value, 'utf8').toString('hex')}'`;
}
