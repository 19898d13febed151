// What becomes of each value of a column that is given another type.
import type { z } from 'zod';
import type { retypeRequest } from '$lib/core/contract/requests';
import { fail } from '$lib/core/problems';
import { columnOf, type Column, type House, type Table } from '$lib/core/table/definition';
import { linkTable } from '$lib/core/table/links';
import {
  keepsText,
  namesIn,
  namesText,
  retyped,
  textOf,
  type Writing,
} from '$lib/core/table/retype';
import { localeReading } from '$lib/core/values/locale-reading';
import { isLink, referredIds, type Value, type ValueType } from '$lib/core/values/types';
import { reader } from '$lib/core/words/reader';
import type { Database } from '../database/connection';
import { standsSql, tableSql } from '../database/ddl';
import { rowsOf } from '../database/rows';
import { equalityOf } from '../records/equality';
import { shownRecords } from '../records/read';
import { fromDatabase } from '../records/values';
import { tableFrom } from './tables';

/** What a column is to become. */
export type RetypeWish = z.infer<typeof retypeRequest>;

/** So many different values of a column can be looked at. */
const mostDistinct = 1_000_000;
const together = 1000;

/** A different value of the column, with what becomes of it. */
export interface Mapped {
  /** SHA-256 of the value as text: by it rows are found, whatever the collation holds equal. */
  hash: Buffer;
  text: string;
  count: number;
  value: Value;
  fits: boolean;
}

/** A column that is given another type. */
export interface Change {
  table: Table;
  /** The table with the column as it is to be. */
  becomes: Table;
  before: Column;
  after: Column;
}

/** Every different value of a column, and what becomes of it. */
export async function mappedValues(
  db: Database,
  tables: House,
  { table, before: was, after }: Change,
  { by, corrections }: RetypeWish,
): Promise<Mapped[]> {
  const { locale, zone } = reader();
  const writing: Writing = { reader: reader(), reading: localeReading(locale, zone) };
  const { value: stands, join } = standsSql(db, table.key, was);
  const sql = `select ${hashSql(stands)} as h, min(${stands}) as v, count(*) as n
    from ${tableSql(db, table.key)} r ${join} where ${stands} is not null group by h limit ${mostDistinct + 1}`;
  const rows = await rowsOf(db.long, `set statement max_statement_time = 0 for ${sql}`);
  if (rows.length > mostDistinct) fail('retype_many', { most: mostDistinct });
  const found = rows.map((row) => ({
    hash: row.h as Buffer,
    count: Number(row.n),
    was: fromDatabase(was.type, row.v),
  }));
  const texts = await textsOf(
    db,
    tables,
    was.type,
    found.map(({ was: value }) => value),
    writing,
  );
  const given = texts.map((text) => (text in corrections ? (corrections[text] ?? '') : text));
  const [from, to] = [linkedBy(was.type), linkedBy(after.type)];
  // What refers to the same records goes on with them, whatever they are called.
  const asTheyAre = from !== null && from === to;
  const byName =
    to === null
      ? null
      : await idsBy(
          db,
          tableFrom(tables, to),
          by,
          given.filter((meant, i) => !asTheyAre || meant !== texts[i]).flatMap(namesMeant),
        );
  return found.map(({ hash: h, count, was: same }, i) => {
    const [text = '', meant = ''] = [texts[i], given[i]];
    const made = (fits: boolean, value: Value) => ({ hash: h, text, count, value, fits });
    if (byName) {
      const ids = asTheyAre && meant === text ? referredIds(same) : idsNamed(meant, byName);
      if (after.type.kind === 'references') return made(ids !== null, ids?.length ? ids : null);
      return made(ids !== null && ids.length <= 1, ids?.length === 1 ? (ids[0] ?? null) : null);
    }
    if (!keepsText(was.type, after.type) || meant !== text) {
      const read = retyped(after.type, meant, after.label, writing);
      return 'value' in read ? made(true, read.value) : made(false, null);
    }
    const length = after.type.kind === 'text' ? after.type.length : Infinity;
    const fits = [...text].length <= length;
    return made(fits, fits ? text : null);
  });
}

/** Values of a type as the texts from which others are read: of records, the lines that show them. */
async function textsOf(
  db: Database,
  tables: House,
  type: ValueType,
  values: readonly Value[],
  writing: Writing,
): Promise<string[]> {
  const linked = linkedBy(type);
  if (linked === null) return values.map((value) => textOf(type, value, writing));
  const ids = [...new Set(values.flatMap(referredIds))];
  const lines = await shownRecords(db, db.knex, tables, tableFrom(tables, linked), ids);
  return values.map((value) => namesText(referredIds(value).map((id) => lines.get(id) ?? '')));
}

/** The table to which a type refers, once or several times. */
export function linkedBy(type: ValueType): string | null {
  return isLink(type) ? type.table : null;
}

/** All names that a text may hold, in whatever way it is read. */
function namesMeant(text: string): string[] {
  return namesIn(text).flat();
}

/** The records that a text names, in the first way in which each of its names is one; `null` where there is none. */
function idsNamed(text: string, byName: (name: string) => number | undefined): number[] | null {
  for (const way of namesIn(text)) {
    const ids = way.map(byName);
    if (ids.every((id) => id !== undefined)) return [...new Set(ids)];
  }
  return null;
}

/** The records of a table by a column of theirs: none where a text is nobody, or several. */
async function idsBy(
  db: Database,
  to: Table,
  by: string | null,
  texts: readonly string[],
): Promise<(text: string) => number | undefined> {
  const column = columnOf(to, by ?? to.display[0] ?? '');
  if (!column || !to.columns.includes(column) || linkTable(to.key, column)) {
    return fail('unknown_column', { table: to.title, column: by ?? '' }, 422, 'by');
  }
  const ids = new Map<string, number>();
  const names = [...new Set(texts)];
  for (let from = 0; from < names.length; from += together) {
    const part = names.slice(from, from + together);
    const equality = await equalityOf(db.knex, part);
    const rows = await rowsOf(
      db.knex,
      `select o.\`${column.key}\` as v, min(o.id) as id, count(*) as many from ${tableSql(db, to.key)} o
       where o.\`${column.key}\` in (${part.map(() => '?').join(', ')}) group by o.\`${column.key}\``,
      part,
    );
    await equality.learn(rows.map(({ v }) => String(v)));
    const found = new Map(
      rows.flatMap(({ v, id, many }) =>
        Number(many) === 1 ? [[equality.key(String(v)), Number(id)] as const] : [],
      ),
    );
    for (const text of part) {
      const id = found.get(equality.key(text));
      if (id !== undefined) ids.set(text, id);
    }
  }
  return (text) => ids.get(text);
}

/** The hash of what stands in a column, as text. */
export function hashSql(column: string): string {
  return `unhex(sha2(cast(${column} as char character set utf8mb4), 256))`;
}
