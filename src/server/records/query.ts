import type { Bound } from '../database/rows';
import { fail } from '$lib/core/problems';
import type { Condition, Operator, Order } from '$lib/core/table/conditions';
import { valuesTaken } from '$lib/core/table/conditions';
import { isUnique, type House, type Table } from '$lib/core/table/definition';
import { linkTable, type LinkTable } from '$lib/core/table/links';
import { resolvePath } from '$lib/core/table/paths';
import { checkValue } from '$lib/core/values/parse';
import type { Value, ValueType } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { tableSql } from '../database/ddl';
import { seenTable, seenWhere } from './sight';
import { toDatabase } from './values';

/** A piece of SQL with the values bound in it, in order. */
export interface Piece {
  sql: string;
  bindings: Bound[];
}

/** A column within reach of a query: its expression and its type. */
export interface Expression {
  sql: string;
  type: ValueType;
  /** Of the table's own columns: whether no two records have the same value, and whether each has one. */
  unique?: boolean;
  required?: boolean;
}

/** One term of a total order. */
export interface OrderTerm extends Expression {
  descending: boolean;
}

/**
 * Reads of one table, with joins along references. Names in SQL come from the definitions only,
 * values are always bound.
 */
export class TableQuery {
  readonly table: Table;
  readonly #db: Database;
  readonly #tables: House;
  readonly #joins = new Map<string, { alias: string; sql: string }>();

  constructor(db: Database, tables: House, table: Table) {
    this.#db = db;
    this.#tables = tables;
    this.table = table;
  }

  /** The expression of a path; fails where it leads nowhere. */
  column(path: string): Expression {
    const { sight } = this.#tables;
    const seen = sight === null ? this.table : this.#tables.get(this.table.key);
    const resolved = seen ? resolvePath(this.#tables, seen, path) : null;
    if (!resolved) return this.#outOfSight(path);
    let alias = 'r';
    let prefix = '';
    for (const { column, to } of resolved.steps) {
      prefix += `${column.key}.`;
      const known = this.#joins.get(prefix);
      if (known) {
        alias = known.alias;
        continue;
      }
      const joined = `j${this.#joins.size}`;
      const seen = seenWhere(this.#db, this.#tables, to.key, joined);
      const sql = `left join ${tableSql(this.#db, to.key)} ${joined} on ${joined}.\`id\` = ${alias}.\`${column.key}\`${seen && ` and ${seen}`}`;
      this.#joins.set(prefix, { alias: joined, sql });
      alias = joined;
    }
    const { column, table } = resolved;
    const links = linkTable(table.key, column);
    const to = column.type.kind === 'references' ? column.type.table : '';
    const sql = links ? this.#linked(links, alias, to) : `${alias}.\`${column.key}\``;
    if (resolved.steps.length > 0) return { sql, type: column.type };
    return { sql, type: column.type, unique: isUnique(column), required: column.required };
  }

  /** For an expression of a column of a record that a row refers to: the reference, the table, the column. */
  referredBy(sql: string): { by: string; to: Table; column: string } | null {
    const [, alias = '', column = ''] = /^(j\d+)\.`(\w+)`$/.exec(sql) ?? [];
    const [prefix = ''] = [...this.#joins].find(([, join]) => join.alias === alias) ?? [];
    const steps = prefix.split('.').slice(0, -1);
    const [by = ''] = steps;
    const type = this.table.columns.find(({ key }) => key === by)?.type;
    const to = type?.kind === 'reference' ? this.#tables.get(type.table) : undefined;
    return steps.length === 1 && to ? { by, to, column } : null;
  }

  /** What is there, but is kept from the person who asks, is nothing to them. */
  #outOfSight(path: string): Expression {
    const { whole } = this.#tables;
    const table = whole.get(this.table.key);
    const there = table && this.#tables.sight !== null ? resolvePath(whole, table, path) : null;
    if (!there) return fail('unknown_column', { table: this.table.title, column: path });
    return { sql: 'null', type: there.column.type };
  }

  /** The ids linked to a record, in order, with commas between them. */
  #linked({ name, own, other }: LinkTable, alias: string, to: string): string {
    const l = `l.\`${other}\``;
    const sight = this.#tables.sight?.get(to)?.when ?? null;
    const seen =
      sight === null
        ? ''
        : ` join ${seenTable(this.#db, this.#tables, to, 'o')} on o.\`id\` = ${l}`;
    return `(select group_concat(${l} order by ${l}) from ${tableSql(this.#db, name)} l${seen} where l.\`${own}\` = ${alias}.\`id\`)`;
  }

  /** `from … left join …` with every join asked for so far; call it last. */
  from(): string {
    const joins = [...this.#joins.values()].map((join) => ` ${join.sql}`).join('');
    return `from ${seenTable(this.#db, this.#tables, this.table.key, 'r')}${joins}`;
  }

  /** A comparison with constant values. Fails where they do not fit the column's type. */
  condition({ path, operator, values }: Condition): Piece {
    const { sql, type } = this.column(path);
    return compare(sql, type, operator, values);
  }

  /** A total order: the given terms, then the record's id, which runs the same way, as in an index. */
  order(orders: readonly Order[]): OrderTerm[] {
    const terms = orders.map(({ path, descending }) => ({ ...this.column(path), descending }));
    const descending = terms.length > 0 && terms.every((term) => term.descending);
    return [...terms, { sql: 'r.`id`', type: { kind: 'whole' }, descending }];
  }
}

/** A comparison of an expression with canonical values. */
export function compare(
  sql: string,
  type: ValueType,
  operator: Operator,
  values: readonly Value[],
): Piece {
  if (type.kind === 'references' && values.length > 0) return linksTo(sql, values);
  const taken = valuesTaken(operator);
  const enough = taken === 'many' ? values.length > 0 : values.length === taken;
  if (!enough) return fail('bad_request', { reason: `${operator} takes ${taken} values` }, 400);
  const pattern = operator === 'contains' || operator === 'begins_with';
  const bound = values.map((value) => {
    if (pattern) return String(value);
    const checked = checkValue(type, value, sql);
    if ('problem' in checked || checked.value === null) {
      return fail('bad_request', { reason: `a condition compares with “${value}”` }, 400);
    }
    return toDatabase(type, checked.value);
  });
  switch (operator) {
    case 'equal':
      return { sql: `${sql} = ?`, bindings: bound };
    case 'not_equal':
      return { sql: `(${sql} <> ? or ${sql} is null)`, bindings: bound };
    case 'contains':
      return { sql: `${sql} like ?`, bindings: [`%${likeText(String(bound[0]))}%`] };
    case 'begins_with':
      return { sql: `${sql} like ?`, bindings: [`${likeText(String(bound[0]))}%`] };
    case 'at_least':
      return { sql: `${sql} >= ?`, bindings: bound };
    case 'at_most':
      return { sql: `${sql} <= ?`, bindings: bound };
    case 'between':
      return { sql: `${sql} between ? and ?`, bindings: bound };
    case 'one_of':
      return { sql: `${sql} in (${bound.map(() => '?').join(', ')})`, bindings: bound };
    case 'empty':
      return { sql: `(${sql} is null${isTextual(type) ? ` or ${sql} = ''` : ''})`, bindings: [] };
    case 'not_empty':
      return {
        sql: `(${sql} is not null${isTextual(type) ? ` and ${sql} <> ''` : ''})`,
        bindings: [],
      };
  }
}

/** Whether any of these records is among those linked. */
function linksTo(sql: string, ids: readonly Value[]): Piece {
  const bound = ids.map((id) => {
    if (typeof id === 'number') return id;
    return fail('bad_request', { reason: `“${String(id)}” does not name a record` }, 400);
  });
  return { sql: `(${bound.map(() => `find_in_set(?, ${sql})`).join(' or ')})`, bindings: bound };
}

/** Escapes what LIKE would read as a sign. */
export function likeText(text: string): string {
  return text.replace(/[\\%_]/g, (sign) => `\\${sign}`);
}

/** Joins pieces with `and`; `true` where there are none. */
export function allOf(pieces: readonly Piece[]): Piece {
  if (pieces.length === 0) return { sql: 'true', bindings: [] };
  return {
    sql: pieces.map((piece) => piece.sql).join(' and '),
    bindings: pieces.flatMap((piece) => piece.bindings),
  };
}

/** `order by …` for the terms; what would order nothing any more is left out, since no index would give it. */
export function orderBy(terms: readonly OrderTerm[]): string {
  const total = terms.findIndex(({ unique, required }) => unique && required);
  const ordering = total === -1 ? terms : terms.slice(0, total + 1);
  return `order by ${ordering.map((t) => `${t.sql}${t.descending ? ' desc' : ''}`).join(', ')}`;
}

/**
 * What stands behind the row with these order values (keyset paging). Absent values come first, as
 * the database sorts them.
 */
export function behind(terms: readonly OrderTerm[], last: readonly Bound[]): Piece {
  // A plain bound on the first term besides lets the database begin in the middle of an index.
  return allOf([...plainBound(terms, last, (term) => term.descending), beyond(terms, last)]);
}

/** What stands behind it, by all terms. */
function beyond(terms: readonly OrderTerm[], last: readonly Bound[]): Piece {
  const alternatives: Piece[] = terms.flatMap((term, i) => {
    const equal = terms
      .slice(0, i)
      .map((t, k) => ({ sql: `${t.sql} <=> ?`, bindings: [last[k] ?? null] }));
    const later = laterThan(term, last[i] ?? null);
    return later ? [allOf([...equal, later])] : [];
  });
  return {
    sql: `(${alternatives.map((a) => `(${a.sql})`).join(' or ')})`,
    bindings: alternatives.flatMap((a) => a.bindings),
  };
}

/** Rows up to a given place in an order, with the one that stands there. */
export function upTo(terms: readonly OrderTerm[], last: readonly Bound[]): Piece {
  const { sql, bindings } = beyond(terms, last);
  return allOf([
    ...plainBound(terms, last, (term) => !term.descending),
    { sql: `not coalesce(${sql}, false)`, bindings },
  ]);
}

/** A bound on the first term alone; texts that are not there stand below all others. */
function plainBound(
  [first]: readonly OrderTerm[],
  [bound = null]: readonly Bound[],
  isMost: (term: OrderTerm) => boolean,
): Piece[] {
  if (!first || bound === null) return [];
  const { sql } = first;
  return [
    isMost(first)
      ? { sql: `(${sql} <= ? or ${sql} is null)`, bindings: [bound] }
      : { sql: `${sql} >= ?`, bindings: [bound] },
  ];
}

/** Writes a cursor from the order values of a row, as the database gave them. */
export function writeCursor(values: readonly unknown[]): string {
  return Buffer.from(JSON.stringify(values)).toString('base64url');
}

/** Reads a cursor of `length` order values; fails where it is none. */
export function readCursor(text: string, length: number): Bound[] {
  try {
    const values: unknown = JSON.parse(Buffer.from(text, 'base64url').toString('utf8'));
    if (Array.isArray(values) && values.length === length && values.every(isBound)) return values;
  } catch {
    // Falls through to the problem.
  }
  return fail('bad_request', { reason: '“after” is no place in this list' }, 400);
}

function laterThan(term: OrderTerm, value: Bound): Piece | null {
  if (term.descending) {
    if (value === null) return null;
    return { sql: `(${term.sql} < ? or ${term.sql} is null)`, bindings: [value] };
  }
  if (value === null) return { sql: `${term.sql} is not null`, bindings: [] };
  return { sql: `${term.sql} > ?`, bindings: [value] };
}

function isBound(value: unknown): value is Bound {
  return value === null || typeof value === 'string' || typeof value === 'number';
}

function isTextual(type: ValueType): boolean {
  return type.kind === 'text' || type.kind === 'long_text' || type.kind === 'option';
}
