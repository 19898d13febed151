import { givesOrder } from '$lib/core/plan/indexes';
import { isUnique, type Table } from '$lib/core/table/definition';
import type { Database, Runner } from '../database/connection';
import { isMissing } from '../database/errors';
import { rowsOf } from '../database/rows';
import { lookThrough, type Found, type Place } from './looked-through';
import {
  allOf,
  behind,
  orderBy,
  type Expression,
  type OrderTerm,
  type Piece,
  type TableQuery,
} from './query';
import { indexedWords, lookedThroughQuickly, wordsOf } from './search';
import { sampleOf, sharesOf } from './sampled';
import { referredPieces } from './searched-through';

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

/** Words that are looked for in a large table. */
export interface WordSearch<T> {
  db: Database;
  runner: Runner;
  /** About how many rows the table has. */
  size: number;
  query: TableQuery;
  /** Where the words may stand. */
  shown: readonly Expression[];
  text: string;
  /** What narrows the rows, and the columns of the table that have one value under it. */
  where: readonly Piece[];
  fixed: ReadonlySet<string>;
  /** What rows that were found already are kept out by. */
  besides: readonly Piece[];
  /** A total order. */
  terms: readonly OrderTerm[];
  from: Place;
  wanted: number;
  /** How long rows are looked through, where it takes longer than somebody waits who types. Milliseconds. */
  patience?: number | undefined;
  /** Whether at the beginning of typing, with a single letter, any rows that fit will do, in any order. */
  anyWillDo?: boolean;
  /** Reads rows that fit, with what follows their conditions in SQL. */
  select: (where: Piece, tail: string) => Promise<T[]>;
}

/** Rows that have all the words, in an order, by the way that is estimated to be the quickest one. */
export async function findWords<T>(search: WordSearch<T>): Promise<Found<T>> {
  const { runner, query, terms, from, wanted, size } = search;
  const words = wordsOf(search.text);
  // What is no word begins nothing: it was looked for as it is typed.
  if (words.length === 0) return { rows: [], stopped: null };
  const { tested, listed, rows, first } = await waysFor(search, words);
  const after = from.last ? [behind(terms, from.last)] : [];
  const whole = async (pieces: readonly Piece[]) => {
    const found = await read(search, [...pieces, ...after], wanted);
    return { rows: found, stopped: null };
  };
  if (await isFew(search)) return whole(tested);
  const ordered = isOrdered(query.table, terms.slice(0, -1), search.fixed);
  const partly = () => {
    const part = (within: Piece[], most: number) => read(search, [...within, ...tested], most);
    const looking = { runner, query, terms, from, wanted, read: part };
    return lookThrough(looking, { patience: search.patience });
  };
  // Without an index of words all rows are looked through: publishing makes one.
  if (!listed) return ordered ? partly() : whole(tested);
  const byIndex = async () => {
    try {
      return await whole(listed.pieces);
    } catch (error) {
      // The words of a table are gone that stood beside it: they are made anew by whoever checks them.
      if (!isMissing(error)) throw error;
      return ordered ? partly() : whole(tested);
    }
  };
  if ((ordered ? rows : size) * costs.tested > listed.costs) return byIndex();
  if (!ordered) return whole(tested);
  const single = words.length === 1 && words[0]?.length === 1;
  const bound = single ? fewTested : Math.min(mostTested, Math.max(fewTested, 2 * rows));
  const found = await read(search, [...tested, ...after], wanted, Math.ceil(bound));
  // It may have been stopped before it came to the end: then the words do not stand where they were expected.
  if (found.length >= wanted) return { rows: found, stopped: null };
  if (!single) return byIndex();
  if (search.anyWillDo && first !== null && !from.last) return readFrom(search, tested, first);
  return partly();
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

async function waysFor<T>(
  { db, runner, size, query, shown, wanted }: WordSearch<T>,
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
async function readFrom<T>(
  search: WordSearch<T>,
  pieces: readonly Piece[],
  id: number,
): Promise<Found<T>> {
  const from = { sql: 'r.`id` >= ?', bindings: [id] };
  const byNumber = { ...search, terms: search.terms.slice(-1) };
  const rows = await read(byNumber, [from, ...pieces], search.wanted - 1, mostTested);
  return { rows, stopped: null };
}

function read<T>(
  { where, besides, terms, select }: WordSearch<T>,
  pieces: readonly Piece[],
  wanted: number,
  examined?: number,
): Promise<T[]> {
  const bound = examined === undefined ? '' : ` rows examined ${examined}`;
  return select(
    allOf([...where, ...pieces, ...besides]),
    `${orderBy(terms)} limit ${wanted}${bound}`,
  );
}

/** Whether an index leads to so few rows, under what narrows a list, that each can be tested: as the database estimates. */
export async function isFew({
  runner,
  query,
  where,
}: Pick<WordSearch<unknown>, 'runner' | 'query' | 'where'>): Promise<boolean> {
  if (where.length === 0) return false;
  const all = allOf(where);
  const sql = `explain select 1 ${query.from()} where ${all.sql}`;
  const steps = await rowsOf(runner, sql, all.bindings);
  // Of each row of the first table so many of the second are met, and so on.
  const met = steps.reduce((product, { rows }) => product * Math.max(1, Number(rows ?? 1)), 1);
  return met <= mostTested;
}

const ownColumn = (sql: string) => /^r\.`(\w+)`$/.exec(sql)?.[1];

/** Whether an index begins with a column of the table itself that holds texts. */
export function beginsAnIndex(table: Table, { sql, type }: Expression): boolean {
  const key = ownColumn(sql);
  if (key === undefined || (type.kind !== 'text' && type.kind !== 'code')) return false;
  const column = table.columns.find((one) => one.key === key);
  if (column && isUnique(column)) return true;
  return table.indexes.some((index) => index.kind === 'order' && index.columns[0] === key);
}

/** Whether an index gives the rows in an order; `fixed` are columns of the table that have one value in all of them. */
export function isOrdered(
  table: Table,
  order: readonly OrderTerm[],
  fixed: ReadonlySet<string> = new Set(),
): boolean {
  const keys = order.map(({ sql, descending }) => ({ key: ownColumn(sql) ?? '?', descending }));
  return givesOrder(table, keys, fixed);
}
