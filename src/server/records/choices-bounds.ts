import { rowsOf } from '../database/rows';
import type { Choice, LookedThrough } from '$lib/core/entry/asks';
import { largeFrom } from '$lib/core/plan/indexes';
import { fixedBy } from '$lib/core/table/conditions';
import type { Database, Runner } from '../database/connection';
import { tableSql } from '../database/ddl';
import type { Piece } from './query';
import { sizesOf } from '../database/sizes';
import { isFew, isOrdered } from './found-words';
import { searchedPage } from './searched';
import {
  choiceOf,
  isIndexed,
  offeredWhere,
  pageLimit,
  readFrom,
  sortedBy,
  type ChoicesWish,
  type CompiledChoices,
} from './choices-compiled';

/** So many records are looked through for different values, or sorted by a column, for which there is no index. */
const mostUnindexed = 50_000;
/** So many of what a search finds in a large table are sorted by a column. */
const mostSorted = 300;

/** What a list is read from. */
interface Bounds {
  compiled: CompiledChoices;
  looked: LookedThrough | null;
  /** Whether that is what its search finds: nothing is searched any more. */
  isFound: boolean;
}

/**
 * What a list of a large table is read from, so that opening it does not take longer the larger it is. Where no index
 * gives its order, as in a draft, it comes in the order of the records; different values, and those that are sorted by a
 * column, are those of the first ones, or of the first that a search finds.
 */
export async function withinBounds(
  db: Database,
  runner: Runner,
  compiled: CompiledChoices,
  wish: ChoicesWish,
): Promise<Bounds> {
  const whole = { compiled, looked: null, isFound: false };
  const { query, distinct, conditions } = compiled;
  const sorted = distinct ? undefined : sortedBy(compiled, wish);
  const searched = Boolean(wish.search?.trim());
  // What is searched does not come in the designed order.
  if (!distinct && searched && !sorted) return whole;
  const size = (await sizesOf(db)).get(query.table.key) ?? 0;
  if (size < largeFrom) return whole;
  const isLink = wish.choices.stores.kind === 'link';
  if (sorted && searched && isLink) return firstFound(db, runner, compiled, wish);
  const isHeld = sorted
    ? !searched && isOrdered(query.table, [sorted], fixedBy(conditions))
    : isIndexed(compiled);
  if (isHeld || (await isFew({ runner, query, where: offeredWhere(compiled) }))) return whole;
  if (!distinct && !sorted) return { ...whole, compiled: { ...compiled, order: [] } };
  const sql = `select r.\`id\` as id from ${tableSql(db, query.table.key)} r order by r.\`id\` limit 1 offset ${mostUnindexed}`;
  const [last] = await rowsOf(runner, sql);
  if (!last) return whole;
  const among = { sql: 'r.`id` < ?', bindings: [Number(last.id)] };
  const looked = { rows: mostUnindexed, of: size };
  return { compiled: { ...compiled, among }, looked, isFound: false };
}

/** The first records that a search finds in a large table, to be sorted by a column. */
async function firstFound(
  db: Database,
  runner: Runner,
  compiled: CompiledChoices,
  wish: ChoicesWish,
): Promise<Bounds> {
  const unsorted = { ...wish, order: undefined, after: undefined };
  const found = await searchLarge(db, runner, compiled, unsorted, mostSorted);
  const ids = found?.choices.map(({ value }) => Number(value)) ?? [];
  const places = ids.map(() => '?').join(', ');
  const among = ids.length === 0 ? nothing : { sql: `r.\`id\` in (${places})`, bindings: ids };
  const looked = found?.looked ?? (found?.next ? { rows: ids.length, of: null } : null);
  return { compiled: { ...compiled, among }, looked, isFound: true };
}

const nothing: Piece = { sql: 'false', bindings: [] };

/** A page of what a search finds in a large table; `null` where nothing is typed, or the table is not large. */
export async function searchLarge(
  db: Database,
  runner: Runner,
  compiled: CompiledChoices,
  wish: ChoicesWish,
  limit = pageLimit(wish),
): Promise<{ choices: Choice[]; next: string | null; looked: LookedThrough | null } | null> {
  const { query, value, shown, conditions, distinct } = compiled;
  const text = wish.search?.trim() ?? '';
  if (text === '' || wish.order || (distinct && !isIndexed(compiled))) return null;
  const size = (await sizesOf(db)).get(query.table.key) ?? 0;
  if (size < largeFrom) return null;
  const present: Piece[] =
    wish.choices.stores.kind === 'copy' ? [{ sql: `${value.sql} is not null`, bindings: [] }] : [];
  const order = distinct
    ? [{ ...value, descending: wish.choices.order[0]?.descending ?? false }]
    : query.order(wish.choices.order).slice(0, -1);
  const { rows, next, looked } = await searchedPage(db, runner, size, {
    ...{ query, shown, order, text, distinct, after: wish.after },
    columns: [value, ...shown].map((e, i) => `${e.sql} as c${i}`),
    where: [...readFrom(compiled), ...present],
    fixed: fixedBy(conditions),
    limit,
  });
  return { choices: rows.map((row) => choiceOf(row, value.type, shown)), next, looked };
}
