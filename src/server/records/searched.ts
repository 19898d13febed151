import type { Table } from '$lib/core/table/definition';
import type { Database, Runner } from '../database/connection';
import { rowsOf, type Bound, type Row } from '../database/rows';
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
import { indexedWords, lookedThroughQuickly, wordsOf } from './search';
import { sampleOf, sharesOf } from './sampled';
import { referredPieces } from './searched-through';

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
  /** What narrows it. */
  where: readonly Piece[];
  /** The order in which it is shown, without the record's number at its end. */
  order: readonly OrderTerm[];
  text: string;
  after?: string | undefined;
  limit: number;
}

/** From so many rows on a table is large. */
export const largeFrom = 100_000;
/** So many rows are tested at most before another way is taken. */
const mostTested = 60_000;
/** So many rows are tested in any case, where rows are tested. */
const fewTested = 10_000;
/** A word in more than this part of the rows helps the index of words little: rows are tested for it. */
const commonShare = 0.08;
/** At most so many words are looked up in the index of words; rows are tested for the others. */
const mostIndexed = 2;
/** What a row costs that is tested, that is met in a list of the index of words, that is fetched from there: microseconds, about. */
const costs = { tested: 2, listed: 1.1, fetched: 6 };

/** One page of what is found: rows by the order of their stages, and where the next page begins. */
export async function searchedPage(
  db: Database,
  runner: Runner,
  size: number,
  list: SearchedList,
): Promise<{ rows: Row[]; next: string | null }> {
  const stages = stagesOf(list);
  const [begin, last] = list.after === undefined ? [0, null] : placeIn(list.after, stages);
  const found: { row: Row; stage: number }[] = [];
  for (let i = begin; i < stages.length && found.length <= list.limit; i++) {
    const stage = stages[i];
    if (!stage) break;
    const from = i === begin ? last : null;
    const wanted = list.limit + 1 - found.length;
    const rows = await stage.read({ db, runner, size, list, from, wanted });
    found.push(...rows.map((row) => ({ row, stage: i })));
  }
  const end = found.length > list.limit ? found[list.limit - 1] : undefined;
  const terms = end ? (stages[end.stage]?.terms ?? []) : [];
  return {
    rows: found.slice(0, list.limit).map(({ row }) => row),
    next: end ? writeCursor([end.stage, ...terms.map((_, i) => end.row[`o${i}`])]) : null,
  };
}

interface Reading {
  db: Database;
  runner: Runner;
  /** About how many rows the table has. */
  size: number;
  list: SearchedList;
  /** The order values of the row behind which it goes on. */
  from: readonly Bound[] | null;
  wanted: number;
}

interface Stage {
  terms: readonly OrderTerm[];
  read: (reading: Reading) => Promise<Row[]>;
}

/** What begins with the text, column by column; then what has all of its words. What one stage finds, no later one does. */
function stagesOf({ query, shown, order, text }: SearchedList): Stage[] {
  const typed = text.trim();
  const id: OrderTerm = { sql: 'r.`id`', type: { kind: 'whole' }, descending: false };
  const stages: Stage[] = [];
  const before: Piece[] = [];
  for (const column of shown) {
    if (!beginsAnIndex(query.table, column)) continue;
    const begins = beginningWith(column, typed);
    const where = [begins, ...before.map(not)];
    const terms = [{ ...column, descending: false }, id];
    stages.push({ terms, read: (reading) => readStage(reading, where, terms, null) });
    before.push(begins);
  }
  const rest = before.map(not);
  const indexed = order.every((term) => !term.sql.startsWith('(')) && isOrdered(query.table, order);
  const terms = [...(indexed ? order : []), id];
  stages.push({ terms, read: (reading) => readWords(reading, rest, terms) });
  return stages;
}

/** Rows that have all the words, by the way that is estimated to be the quicker one. */
async function readWords(
  reading: Reading,
  rest: readonly Piece[],
  terms: readonly OrderTerm[],
): Promise<Row[]> {
  const { runner, list, wanted } = reading;
  const words = wordsOf(list.text);
  // What is no word begins nothing: it was looked for as it is typed.
  if (words.length === 0) return [];
  const { tested, listed, rows, first } = await waysFor(reading, words);
  const where = [...tested, ...rest];
  // Without an index of words all rows are looked through: publishing makes one.
  if (!listed) return readStage(reading, where, terms, null);
  if (list.where.length > 0 && (await isFew(runner, list, mostTested))) {
    return readStage(reading, where, terms, null);
  }
  if (rows * costs.tested <= listed.costs) {
    const single = words.length === 1 && words[0]?.length === 1;
    const bound = single ? fewTested : Math.min(mostTested, Math.max(fewTested, 2 * rows));
    const found = await readStage(reading, where, terms, Math.ceil(bound));
    // It may have been stopped before it came to the end: then the words do not stand where they were expected.
    if (found.length >= wanted) return found;
    // With a single letter, which is the beginning of typing, whatever is found will do.
    if (single && first !== null && !reading.from) return readFrom(reading, where, terms, first);
  }
  return readStage(reading, [...listed.pieces, ...rest], terms, null);
}

/** What holds for the rows of a large table that a search finds, for pages in an order, or without one. */
export async function searchedPieces(
  db: Database,
  runner: Runner,
  size: number,
  list: Pick<SearchedList, 'query' | 'shown' | 'text' | 'order'> & { wanted: number },
): Promise<Piece[]> {
  const words = wordsOf(list.text);
  if (words.length === 0) return [{ sql: 'false', bindings: [] }];
  const { tested, listed, rows } = await waysFor(
    { db, runner, size, list, wanted: list.wanted },
    words,
  );
  const stepwise = isOrdered(list.query.table, list.order) ? rows : size;
  return !listed || stepwise * costs.tested <= listed.costs ? tested : listed.pieces;
}

/** The two ways to find rows with some words, and what they are estimated to cost. */
interface Ways {
  /** Testing rows. */
  tested: Piece[];
  /** About so many rows are tested until a page is full. */
  rows: number;
  /** By the index of words; `null` where there is none. Costs in microseconds, about. */
  listed: { pieces: Piece[]; costs: number } | null;
  /** The first row of the sample that has all of them. */
  first: number | null;
}

async function waysFor(
  {
    db,
    runner,
    size,
    list: { query, shown },
    wanted,
  }: Pick<Reading, 'db' | 'runner' | 'size' | 'wanted'> & {
    list: Pick<SearchedList, 'query' | 'shown'>;
  },
  words: readonly string[],
): Promise<Ways> {
  const { each, all, first } = sharesOf(await sampleOf(db, runner, query, shown), words);
  // The rarest first: where it is missing, nothing else is tested.
  const byShare = words
    .map((word, i) => ({ word, share: each[i] ?? 1 }))
    .sort((a, b) => a.share - b.share);
  const test = ({ word }: { word: string }) => lookedThroughQuickly(shown, word);
  const tested = byShare.map(test);
  const rows = wanted / all;
  // A word of one letter is in no index: beside others it is tested.
  const longer = byShare.filter(({ word }) => word.length > 1);
  const rare = (longer.length > 0 ? longer : byShare).filter(
    ({ share }, i) => i === 0 || (i < mostIndexed && share <= commonShare),
  );
  const rareWords = rare.map(({ word }) => word);
  const met = rare.reduce((sum, { share }) => sum + share, 0) * size;
  const estimate = met * costs.listed + all * size * costs.fetched;
  const byIndex = await indexedWords(db, query.table, shown, rareWords);
  if (byIndex) {
    const pieces = [...byIndex, ...byShare.filter((one) => !rare.includes(one)).map(test)];
    return { tested, rows, listed: { pieces, costs: estimate }, first };
  }
  // What stands in referred records is found by way of them, unless so much is that rows are met soon.
  if (rows * costs.tested <= estimate) return { tested, rows, listed: null, first };
  const inOrder = longer.map(({ word }) => word);
  const through = await referredPieces(db, runner, query, shown, inOrder);
  const listed = through && { pieces: [...through, ...tested], costs: estimate };
  return { tested, rows, listed, first };
}

/** A page of rows from some record on, by their numbers; none follows it. */
async function readFrom(
  reading: Reading,
  where: readonly Piece[],
  terms: readonly OrderTerm[],
  id: number,
): Promise<Row[]> {
  const from = { sql: 'r.`id` >= ?', bindings: [id] };
  const wish = { ...reading, wanted: reading.wanted - 1 };
  return readStage(wish, [from, ...where], terms.slice(-1), mostTested);
}

async function readStage(
  { runner, list, from, wanted }: Reading,
  pieces: readonly Piece[],
  terms: readonly OrderTerm[],
  bound: number | null,
): Promise<Row[]> {
  const after = from ? [behind(terms, from)] : [];
  const all = allOf([...list.where, ...pieces, ...after]);
  const cursor = terms.map((term, i) => `${term.sql} as o${i}`);
  const sql = [
    `select ${[...list.columns, ...cursor].join(', ')}`,
    list.query.from(),
    `where ${all.sql}`,
    orderBy(terms),
    `limit ${wanted}`,
    bound === null ? '' : `rows examined ${bound}`,
  ].join(' ');
  return rowsOf(runner, sql, all.bindings);
}

/** Whether what narrows a list leaves so few rows that each can be tested. */
async function isFew(runner: Runner, { query, where }: SearchedList, most: number) {
  const all = allOf(where);
  const sql = `select count(*) as n from (select 1 ${query.from()} where ${all.sql} limit ${most + 1} rows examined ${2 * most}) as counted`;
  const [row] = await rowsOf(runner, sql, all.bindings);
  return Number(row?.n ?? 0) > 0 && Number(row?.n ?? 0) <= most;
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

const ownColumn = (sql: string) => /^r\.`(\w+)`$/.exec(sql)?.[1];

/** Whether an index begins with a column of the table itself that holds texts. */
function beginsAnIndex(table: Table, { sql, type }: Expression): boolean {
  const key = ownColumn(sql);
  if (key === undefined || (type.kind !== 'text' && type.kind !== 'code')) return false;
  const column = table.columns.find((one) => one.key === key);
  if (column?.unique === true || type.kind === 'code') return true;
  return table.indexes.some((index) => index.kind === 'order' && index.columns[0] === key);
}

/** Whether an index holds the rows in an order; narrowed lists have one that begins with what narrows them. */
function isOrdered(table: Table, order: readonly OrderTerm[]): boolean {
  if (order.length === 0) return true;
  const keys = order.map(({ sql }) => ownColumn(sql) ?? '?').join();
  const [only] = order;
  if (order.length === 1 && only && beginsAnIndex(table, only)) return true;
  return table.indexes.some((index) => {
    const from = index.columns.length - order.length;
    return index.kind === 'order' && from >= 0 && index.columns.slice(from).join() === keys;
  });
}

/** The stage in which a page ended, and the order values of its last row; fails where the text names no place. */
function placeIn(after: string, stages: readonly Stage[]): [number, readonly Bound[]] {
  const lengths = stages.map(({ terms }) => terms.length + 1);
  for (const length of new Set(lengths)) {
    const values = tried(() => readCursor(after, length));
    const [stage, ...rest] = values ?? [];
    if (typeof stage === 'number' && lengths[stage] === length) return [stage, rest];
  }
  return [0, readCursor(after, -1)];
}

function tried<T>(work: () => T): T | null {
  try {
    return work();
  } catch {
    return null;
  }
}
