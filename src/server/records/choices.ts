import { rowsOf, type Bound, type Row } from '../database/rows';
import {
  reasonBound,
  type Choice,
  type EmptyReason,
  type LookedThrough,
  type Offer,
  pageSize,
} from '$lib/core/entry/asks';
import { equalityOf } from './equality';
import { shownPaths, storedType } from '$lib/core/plan/held';
import type { TableChoices } from '$lib/core/plan/choices';
import { largeFrom } from '$lib/core/plan/indexes';
import { fail } from '$lib/core/problems';
import { fixedBy, narrowedBy, type Condition, type Order } from '$lib/core/table/conditions';
import type { House } from '$lib/core/table/definition';
import { idsOf, type Value, type ValueType } from '$lib/core/values/types';
import type { Database, Runner } from '../database/connection';
import { tableSql } from '../database/ddl';
import {
  allOf,
  behind,
  orderBy,
  readCursor,
  TableQuery,
  writeCursor,
  type Expression,
  type OrderTerm,
  type Piece,
} from './query';
import { sizesOf } from '../database/sizes';
import { searchPieces, type Search } from './search';
import { isFew, isOrdered } from './found-words';
import { searchedPage } from './searched';
import { fromDatabase, toDatabase } from './values';

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

/** So many records are looked through for different values, or sorted by a column, for which there is no index. */
const mostUnindexed = 50_000;
/** So many of what a search finds in a large table are sorted by a column. */
const mostSorted = 300;
/** Counting stops here; a longer list is said to have more. */
const countBound = 10_000;

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
function offeredWhere({ query, conditions }: CompiledChoices): Piece[] {
  return conditions.map((condition) => query.condition(condition));
}

/** What holds for the records that a list is read from. */
function readFrom(compiled: CompiledChoices): Piece[] {
  return [...offeredWhere(compiled), ...(compiled.among ? [compiled.among] : [])];
}

const told = (looked: LookedThrough | null) => (looked ? { looked } : {});

/** Reads one page of choices, confirms the current value, and says why where there are none. */
export async function readChoices(
  db: Database,
  runner: Runner,
  tables: House,
  wish: ChoicesWish,
): Promise<Omit<Offer, 'id'>> {
  const began = performance.now();
  const bounds = await withinBounds(db, runner, compileChoices(db, tables, wish), wish);
  const { compiled, looked, isFound } = bounds;
  const large = await searchLarge(db, runner, compiled, wish);
  const search =
    (!(large || isFound) || wish.whole) && wish.search?.trim()
      ? await searchPieces(db, compiled.query.table, compiled.shown, wish.search)
      : null;
  const where = offeredWhere(compiled);
  const among = readFrom(compiled);
  const page = large ?? (await readPage(runner, compiled, among, search, wish));
  // What a search finds in a large table is counted no further than it was read.
  const counted = wish.whole
    ? await count(runner, compiled, [...among, ...pieces(search)], Number.MAX_SAFE_INTEGER)
    : large
      ? page.choices.length + (page.next === null ? 0 : 1)
      : page.next === null && !wish.after
        ? page.choices.length
        : await count(runner, compiled, [...among, ...pieces(search)], countBound + 1);
  const most = wish.whole ? counted : large ? page.choices.length : countBound;
  const [found, more] = [Math.min(counted, most), counted > most];
  const confirmed = Array.isArray(wish.current)
    ? await confirmSeveral(runner, compiled, where, idsOf(wish.current))
    : await confirmOne(runner, compiled, where, wish.current, page.choices);
  const searched = Boolean(wish.search?.trim());
  const empty =
    found === 0 && !more && !wish.after
      ? { empty: await whyEmpty(runner, compiled, pieces(search), searched) }
      : {};
  return {
    choices: page.choices,
    next: page.next,
    ...{ found, more, ...told(large?.looked ?? looked) },
    ...confirmed,
    ...empty,
    took: Math.round((performance.now() - began) * 10) / 10,
  };
}

/** The first choices that a search finds, in the designed order, uncounted; with the types of what is shown. */
export async function firstChoices(
  db: Database,
  tables: House,
  wish: ChoicesWish & { search: string },
): Promise<{ types: ValueType[]; page: Choice[] }> {
  const compiled = compileChoices(db, tables, wish);
  const types = compiled.shown.map(({ type }) => type);
  const large = await searchLarge(db, db.knex, compiled, wish);
  if (large) return { types, page: large.choices };
  const search = await searchPieces(db, compiled.query.table, compiled.shown, wish.search);
  const { choices } = await readPage(db.knex, compiled, [], search, wish);
  return { types, page: choices };
}

/**
 * Confirms many values of one list at once: which are offered, and which only exist. For a screen the
 * first page of the list is read besides, once for all; a save wants to know of the values only.
 */
export async function readConfirmed(
  db: Database,
  runner: Runner,
  tables: House,
  wish: Pick<ChoicesWish, 'choices' | 'given'>,
  currents: readonly Value[],
  wants: 'lists' | 'confirm',
): Promise<Omit<Offer, 'id'>[]> {
  const list =
    wants === 'lists'
      ? await readChoices(db, runner, tables, { ...wish, current: null })
      : { choices: [], next: null, found: 1, more: false, current: null };
  const compiled = compileChoices(db, tables, wish);
  const { query, value, shown } = compiled;
  const isOffered = allOf(offeredWhere(compiled));
  const columns = [value, ...shown].map((e, i) => `${e.sql} as c${i}`).join(', ');
  const single = (current: Value): Value[] => {
    if (Array.isArray(current)) return [...idsOf(current)];
    return current === null ? [] : [current];
  };
  const wanted = [...new Set(currents.flatMap(single))];
  const known = new Map<Value, { choice: Choice; offered: boolean }>();
  for (let i = 0; i < wanted.length; i += 1000) {
    const part = wanted.slice(i, i + 1000).map((one) => toDatabase(value.type, one));
    const places = part.map(() => '?').join(', ');
    const sql = `select ${columns}, (${isOffered.sql}) as offered ${query.from()} where ${value.sql} in (${places})`;
    for (const row of await rowsOf(runner, sql, [...isOffered.bindings, ...part])) {
      const choice = choiceOf(row, value.type, shown);
      const offered = Number(row.offered) === 1 || known.get(choice.value)?.offered === true;
      known.set(choice.value, { choice, offered });
    }
  }
  const alike = await alikeIn(runner, known, wanted);
  return currents.map((current) => {
    if (Array.isArray(current)) {
      const found = idsOf(current).flatMap((id) => known.get(id) ?? []);
      const among = (offered: boolean) =>
        found.filter((one) => one.offered === offered).map(({ choice }) => choice);
      return { ...list, current: null, chosen: among(true), others: among(false) };
    }
    const found = known.get(current) ?? alike(current);
    if (!found) return { ...list, current: null };
    return found.offered
      ? { ...list, current: found.choice }
      : { ...list, current: null, known: found.choice };
  });
}

type Known = ReadonlyMap<Value, { choice: Choice; offered: boolean }>;

/** Finds what the database takes for the same text as a value that is not there letter by letter. */
async function alikeIn(
  runner: Runner,
  known: Known,
  wanted: readonly Value[],
): Promise<(text: Value) => { choice: Choice; offered: boolean } | undefined> {
  const texts = wanted.filter((one) => typeof one === 'string' && !known.has(one)) as string[];
  if (texts.length === 0) return () => undefined;
  const held = [...known].filter(([value]) => typeof value === 'string') as [
    string,
    { choice: Choice; offered: boolean },
  ][];
  const equality = await equalityOf(runner, [...texts, ...held.map(([value]) => value)]);
  const byKey = new Map(held.map(([value, one]) => [equality.key(value), one]));
  return (text) => {
    const same = typeof text === 'string' ? byKey.get(equality.key(text)) : undefined;
    return same && { ...same, choice: { ...same.choice, value: text } };
  };
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
async function withinBounds(
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
  const ids = idsOf(found?.choices.map(({ value }) => Number(value)) ?? []);
  const places = ids.map(() => '?').join(', ');
  const among = ids.length === 0 ? nothing : { sql: `r.\`id\` in (${places})`, bindings: [...ids] };
  const looked = found?.looked ?? (found?.next ? { rows: ids.length, of: null } : null);
  return { compiled: { ...compiled, among }, looked, isFound: true };
}

const nothing: Piece = { sql: 'false', bindings: [] };

/** The shown column by which a list is sorted, where it is by one. */
function sortedBy({ shown }: CompiledChoices, { order }: ChoicesWish): OrderTerm | undefined {
  const by = order && shown[order.column];
  return by && { ...by, descending: order.descending };
}

/** Whether an index holds the list in its order. */
function isIndexed({ query, value, order, distinct, conditions }: CompiledChoices): boolean {
  const terms = distinct ? [{ ...value, descending: false }] : query.order(order).slice(0, -1);
  return isOrdered(query.table, terms, fixedBy(conditions));
}

async function readPage(
  runner: Runner,
  compiled: CompiledChoices,
  where: readonly Piece[],
  search: Search | null,
  wish: ChoicesWish,
): Promise<{ choices: Choice[]; next: string | null }> {
  const limit = pageLimit(wish);
  const { query, value, shown, distinct } = compiled;
  const terms = orderTerms(compiled, search, wish);
  const after = wish.after ? [behindCursor(terms, wish.after)] : [];
  const present: Piece[] =
    wish.choices.stores.kind === 'copy' ? [{ sql: `${value.sql} is not null`, bindings: [] }] : [];
  const all = allOf([...where, ...present, ...pieces(search), ...after.map((a) => a.piece)]);
  const columns = [value, ...shown].map((e, i) => `${e.sql} as c${i}`);
  const cursor = terms.map((t, i) => `${t.sql} as o${i}`);
  const cursorBindings = terms.flatMap((t) => t.bindings);
  const sql = [
    `select${distinct ? ' distinct' : ''} ${[...columns, ...cursor].join(', ')}`,
    query.from(),
    `where ${all.sql}`,
    orderBy(terms),
    `limit ${limit + 1}`,
  ].join(' ');
  const rows = await rowsOf(runner, sql, [...cursorBindings, ...all.bindings, ...cursorBindings]);
  const choices = rows.slice(0, limit).map((row) => choiceOf(row, value.type, shown));
  const last = rows.length > limit ? rows[limit - 1] : undefined;
  return { choices, next: last ? writeCursor(terms.map((_, i) => last[`o${i}`])) : null };
}

function pageLimit({ limit = pageSize }: ChoicesWish): number {
  return Math.min(limit, pageSize);
}

/** A page of what a search finds in a large table; `null` where nothing is typed, or the table is not large. */
async function searchLarge(
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

type BoundTerm = OrderTerm & { bindings: Bound[] };

function orderTerms(
  compiled: CompiledChoices,
  search: Search | null,
  wish: ChoicesWish,
): BoundTerm[] {
  const { query, value, distinct, order: designed } = compiled;
  const free = (terms: OrderTerm[]) => terms.map((term) => ({ ...term, bindings: [] }));
  const ranked: BoundTerm[] = search
    ? [
        {
          sql: search.rank.sql,
          bindings: search.rank.bindings,
          type: { kind: 'whole' },
          descending: false,
        },
      ]
    : [];
  if (distinct) {
    const descending = designed[0]?.descending ?? false;
    return [...ranked, { ...value, descending, bindings: [] }];
  }
  const by = sortedBy(compiled, wish);
  if (by) {
    // As in an index, the number runs the way of what it is sorted by.
    const { descending } = by;
    return free([by, ...query.order([]).map((id) => ({ ...id, descending }))]);
  }
  return [...ranked, ...free(query.order(designed))];
}

function behindCursor(terms: readonly BoundTerm[], after: string): { piece: Piece } {
  const last = readCursor(after, terms.length);
  const [first] = terms;
  if (!first || first.bindings.length === 0) return { piece: behind(terms, last) };
  // The rank is an expression with values of its own: bound each time that it stands in the SQL.
  const rest = behind(terms.slice(1), last.slice(1));
  const rank = Number(last[0]);
  return {
    piece: {
      sql: `((${first.sql}) > ? or ((${first.sql}) = ? and ${rest.sql}))`,
      bindings: [...first.bindings, rank, ...first.bindings, rank, ...rest.bindings],
    },
  };
}

async function confirmOne(
  runner: Runner,
  compiled: CompiledChoices,
  where: readonly Piece[],
  value: Value,
  page: readonly Choice[],
): Promise<Pick<Offer, 'current' | 'known'>> {
  const current = await confirm(runner, compiled, where, value, page);
  if (current !== null || value === null) return { current };
  const known = await confirm(runner, compiled, [], value, []);
  return known ? { current, known } : { current };
}

/** Which of several records are offered, and which others exist. */
async function confirmSeveral(
  runner: Runner,
  { query, value, shown }: CompiledChoices,
  where: readonly Piece[],
  ids: readonly number[],
): Promise<Pick<Offer, 'current' | 'chosen' | 'others'>> {
  const columns = [value, ...shown].map((e, i) => `${e.sql} as c${i}`).join(', ');
  const isOffered = allOf(where);
  const places = ids.map(() => '?').join(', ');
  const sql = `select ${columns}, (${isOffered.sql}) as offered ${query.from()} where ${value.sql} in (${places})`;
  const rows = await rowsOf(runner, sql, [...isOffered.bindings, ...ids]);
  const among = (offered: boolean) =>
    rows
      .filter((row) => (Number(row.offered) === 1) === offered)
      .map((row) => choiceOf(row, value.type, shown));
  return { current: null, chosen: among(true), others: among(false) };
}

async function confirm(
  runner: Runner,
  { query, value, shown }: CompiledChoices,
  where: readonly Piece[],
  current: Value,
  page: readonly Choice[],
): Promise<Choice | null> {
  if (current === null) return null;
  const listed = page.find((choice) => choice.value === current);
  if (listed) return listed;
  const isCurrent = { sql: `${value.sql} = ?`, bindings: [toDatabase(value.type, current)] };
  const all = allOf([isCurrent, ...where]);
  const columns = [value, ...shown].map((e, i) => `${e.sql} as c${i}`).join(', ');
  const sql = `select ${columns} ${query.from()} where ${all.sql} limit 1`;
  const [row] = await rowsOf(runner, sql, all.bindings);
  return row ? { ...choiceOf(row, value.type, shown), value: current } : null;
}

async function whyEmpty(
  runner: Runner,
  compiled: CompiledChoices,
  search: readonly Piece[],
  searched: boolean,
): Promise<EmptyReason> {
  const { conditions } = compiled;
  const all = readFrom(compiled);
  const total = () => count(runner, compiled, [], reasonBound);
  const withoutSearch = searched ? await count(runner, compiled, all, reasonBound) : null;
  // Where it is what was typed, nothing else is to be told.
  if (withoutSearch !== null && withoutSearch > 0) {
    return { total: await total(), conditions: [], withoutSearch };
  }
  const reasons: EmptyReason['conditions'] = [];
  for (const [i, { path, operator, values, field }] of conditions.entries()) {
    const others = [...all.filter((_, k) => k !== i), ...search];
    const without = await count(runner, compiled, others, reasonBound);
    reasons.push({ path, operator, values, field, without });
  }
  return { total: await total(), conditions: reasons, withoutSearch };
}

/** How many choices there are, counted up to `bound`. */
async function count(
  runner: Runner,
  { query, value, distinct }: CompiledChoices,
  where: readonly Piece[],
  bound: number,
): Promise<number> {
  const all = allOf([...where, { sql: `${value.sql} is not null`, bindings: [] }]);
  const what = distinct ? `distinct ${value.sql}` : '1';
  const sql = `select count(*) as n from (select ${what} ${query.from()} where ${all.sql} limit ${bound}) as counted`;
  const [row] = await rowsOf(runner, sql, all.bindings);
  return Number(row?.n ?? 0);
}

function pieces(search: Search | null): Piece[] {
  return search ? search.pieces : [];
}

/** A row of the list, its columns being c0 (the value), c1 … */
export function choiceOf(row: Row, type: ValueType, shown: readonly Expression[]): Choice {
  return {
    value: fromDatabase(type, row.c0),
    shown: shown.map((e, i) => fromDatabase(e.type, row[`c${i + 1}`])),
  };
}
