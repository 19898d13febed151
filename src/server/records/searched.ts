import type { LookedThrough } from '$lib/core/entry/asks';
import type { Database, Runner } from '../database/connection';
import { rowsOf, type Row } from '../database/rows';
import { beginsAnIndex, findWords, isOrdered } from './found-words';
import { lookThrough, orderValues, type Found, type Place } from './looked-through';
import {
  allOf,
  behind,
  likeText,
  orderBy,
  readCursor,
  writeCursor,
  type Expression,
  type OrderTerm,
  type Piece,
  type TableQuery,
} from './query';
import { lookedThroughQuickly, wordsOf } from './search';

/**
 * Searching a large table while somebody types. No one way is right for all words, so the way is chosen by estimate:
 * what begins with the typed text, by the index of its column; then words, either by testing rows in the order in which
 * they are shown until a page is full (common words), or by the index of words (rare ones). Each page costs about the
 * same, however large the table is.
 */

/** What is searched, and how it is shown. */
export interface SearchedList {
  query: TableQuery;
  shown: readonly Expression[];
  /** What is read of each row, named. */
  columns: readonly string[];
  /** What narrows it, and the columns of the table that have one value under it. */
  where: readonly Piece[];
  fixed: ReadonlySet<string>;
  /** The order in which it is shown, without the record's number at its end. */
  order: readonly OrderTerm[];
  /** Whether it lists the values of one column, each once, for which there is an index. */
  distinct?: boolean;
  text: string;
  after?: string | undefined;
  limit: number;
}

/** One page of what is found: rows by the order of their stages, and where the next page begins. */
export async function searchedPage(
  db: Database,
  runner: Runner,
  size: number,
  list: SearchedList,
): Promise<{ rows: Row[]; next: string | null; looked: LookedThrough | null }> {
  const stages = stagesOf(list);
  const [begin, place] = list.after === undefined ? [0, start] : placeIn(list.after, stages);
  const found: { row: Row; stage: number }[] = [];
  let stopped: { stage: number; place: Place } | null = null;
  for (let i = begin; i < stages.length && found.length <= list.limit; i++) {
    const stage = stages[i];
    if (!stage) break;
    const from = i === begin ? place : start;
    const wanted = list.limit + 1 - found.length;
    const read = await stage.read({ db, runner, size, list, from, wanted });
    found.push(...read.rows.map((row) => ({ row, stage: i })));
    stopped = read.stopped && { stage: i, place: read.stopped };
  }
  const rows = found.slice(0, list.limit).map(({ row }) => row);
  const end = found.length > list.limit ? found[list.limit - 1] : undefined;
  if (end) {
    const last = orderValues(stages[end.stage]?.terms ?? [], end.row);
    const next = writeCursor([end.stage, place.looked, ...last]);
    return { rows, next, looked: null };
  }
  if (!stopped) return { rows, next: null, looked: null };
  const { looked, last } = stopped.place;
  const next = writeCursor([stopped.stage, looked, ...(last ?? [])]);
  const of = list.distinct ? null : Math.max(looked, size);
  return { rows, next, looked: { rows: looked, of } };
}

const start: Place = { last: null, looked: 0 };

interface Reading {
  db: Database;
  runner: Runner;
  /** About how many rows the table has. */
  size: number;
  list: SearchedList;
  from: Place;
  wanted: number;
}

interface Stage {
  terms: readonly OrderTerm[];
  read: (reading: Reading) => Promise<Found<Row>>;
}

/** What begins with the text, column by column; then what has all of its words. What one stage finds, no later one does. */
function stagesOf({ query, shown, order, text, distinct, fixed }: SearchedList): Stage[] {
  const typed = text.trim();
  const stages: Stage[] = [];
  const before: Piece[] = [];
  for (const column of shown) {
    if (!distinct && !beginsAnIndex(query.table, column)) continue;
    const begins = beginningWith(column, typed);
    const besides = before.map(not);
    // What begins with a text is there: a unique one stands in its index alone.
    const first = { ...column, required: true, descending: false };
    const terms = [first, ...(distinct ? [] : [byNumber(false)])];
    const read = async ({ runner, list, from, wanted }: Reading) => {
      const after = from.last ? [behind(terms, from.last)] : [];
      const where = allOf([...list.where, begins, ...besides, ...after]);
      const rows = await selecting(runner, list, terms)(where, `${orderBy(terms)} limit ${wanted}`);
      return { rows, stopped: null };
    };
    stages.push({ terms, read });
    before.push(begins);
  }
  const besides = before.map(not);
  if (distinct) return [...stages, distinctWords(wordsOf(typed), order, besides)];
  const indexed = isOrdered(query.table, order, fixed);
  // As in an index, the number runs the way of the others.
  const terms = indexed ? [...order, byNumber(order[0]?.descending ?? false)] : [byNumber(false)];
  const read = ({ list, ...reading }: Reading) =>
    findWords({
      ...reading,
      ...{ query, shown, text, where: list.where, fixed, besides, terms },
      anyWillDo: true,
      select: selecting(reading.runner, list, terms),
    });
  stages.push({ terms, read });
  return stages;
}

/** The different values that have all the words. */
function distinctWords(
  words: readonly string[],
  terms: readonly OrderTerm[],
  besides: readonly Piece[],
): Stage {
  const read = async ({ runner, list, from, wanted }: Reading): Promise<Found<Row>> => {
    const { query, shown, where } = list;
    if (words.length === 0) return { rows: [], stopped: null };
    const tested = words.map((word) => lookedThroughQuickly(shown, word));
    const select = selecting(runner, list, terms);
    const part = (within: Piece[], most: number) =>
      select(
        allOf([...where, ...within, ...tested, ...besides]),
        `${orderBy(terms)} limit ${most}`,
      );
    return lookThrough({ runner, query, distinct: where, terms, from, wanted, read: part });
  };
  return { terms, read };
}

function byNumber(descending: boolean): OrderTerm {
  return { sql: 'r.`id`', type: { kind: 'whole' }, descending };
}

/** Reads rows of a list, with where they stand in an order. */
function selecting(
  runner: Runner,
  { query, columns, distinct }: SearchedList,
  terms: readonly OrderTerm[],
) {
  const select = distinct ? 'select distinct' : 'select';
  const cursor = terms.map((term, i) => `${term.sql} as o${i}`);
  return (where: Piece, tail: string): Promise<Row[]> => {
    const sql = `${select} ${[...columns, ...cursor].join(', ')} ${query.from()} where ${where.sql} ${tail}`;
    return rowsOf(runner, sql, where.bindings);
  };
}

/** What begins with a text; its bounds let the database begin in the middle of an index, whatever the letters. */
function beginningWith({ sql }: Expression, text: string): Piece {
  return {
    sql: `(${sql} >= ? and ${sql} <= ? and ${sql} like ?)`,
    bindings: [text, `${text}\u{10fffd}`, `${likeText(text)}%`],
  };
}

function not({ sql, bindings }: Piece): Piece {
  // What is not there begins with nothing.
  return { sql: `not coalesce(${sql}, false)`, bindings };
}

/** The stage in which a page ended, and where in it; fails where the text names no place. */
function placeIn(after: string, stages: readonly Stage[]): [number, Place] {
  const lengths = stages.map(({ terms }) => terms.length + 2);
  for (const length of new Set(lengths)) {
    const values = tried(() => readCursor(after, length));
    const [stage, looked, ...last] = values ?? [];
    if (typeof stage !== 'number' || typeof looked !== 'number') continue;
    if (lengths[stage] === length) return [stage, { last, looked }];
  }
  return [0, { last: readCursor(after, -1), looked: 0 }];
}

function tried<T>(work: () => T): T | null {
  try {
    return work();
  } catch {
    return null;
  }
}
