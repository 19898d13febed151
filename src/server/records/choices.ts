import { rowsOf, type Bound } from '../database/rows';
import {
  reasonBound,
  type Choice,
  type EmptyReason,
  type LookedThrough,
  type Offer,
} from '$lib/core/entry/asks';
import type { House } from '$lib/core/table/definition';
import { idsOf, type Value, type ValueType } from '$lib/core/values/types';
import type { Database, Runner } from '../database/connection';
import {
  allOf,
  behind,
  orderBy,
  readCursor,
  writeCursor,
  type OrderTerm,
  type Piece,
} from './query';
import { searchPieces, type Search } from './search';
import { toDatabase } from './values';
import {
  choiceOf,
  compileChoices,
  offeredWhere,
  pageLimit,
  readFrom,
  sortedBy,
  type ChoicesWish,
  type CompiledChoices,
} from './choices-compiled';
import { searchLarge, withinBounds } from './choices-bounds';

/** Counting stops here; a longer list is said to have more. */
const countBound = 10_000;

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
  // Of what is sorted all is counted, though only the first ones are sorted.
  const all = compiled.distinct ? among : where;
  // What a search finds in a large table is counted no further than it was read.
  const counted = wish.whole
    ? await count(runner, compiled, [...all, ...pieces(search)], Number.MAX_SAFE_INTEGER)
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
  // Why a search finds nothing does not show in what it finds.
  const offered = isFound ? { ...compiled, among: null } : compiled;
  const empty =
    found === 0 && !more && !wish.after
      ? { empty: await whyEmpty(runner, offered, pieces(search), searched) }
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
