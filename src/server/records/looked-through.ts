import { rowsOf, type Bound, type Row } from '../database/rows';
import type { Runner } from '../database/connection';
import { allOf, behind, orderBy, upTo, type OrderTerm, type Piece, type TableQuery } from './query';

/** So many rows of a table are tested at a time. */
const rowsAtATime = 20_000;
/** After so long, what was found so far is told to somebody who types, with the place where it goes on. Milliseconds. */
const patience = 150;

/** Where reading goes on: behind a row, and after how many that were tested for the same search already. */
export interface Place {
  /** The order values of the row behind which it goes on; `null` at the beginning. */
  last: readonly Bound[] | null;
  looked: number;
}

/** Rows that were found, and where it stopped before the page was full; `null` where it came to an end. */
export interface Found<T> {
  rows: T[];
  stopped: Place | null;
}

/** What is looked through: the rows of a table in an order that an index gives. */
export interface Looking<T> {
  runner: Runner;
  query: TableQuery;
  /** Of the rows for which this holds, those of the same values are one. */
  distinct?: readonly Piece[];
  terms: readonly OrderTerm[];
  from: Place;
  wanted: number;
  /** Reads the rows that fit, of a part of the table. */
  read: (within: Piece[], wanted: number) => Promise<T[]>;
}

/**
 * Tests the rows of a table part by part, until enough are found or somebody who types has waited long enough. Its
 * cost does not grow with the table, whatever is looked for and wherever that stands.
 */
export async function lookThrough<T>(
  looking: Looking<T>,
  bounds: { rowsAtATime?: number; patience?: number | undefined } = {},
): Promise<Found<T>> {
  const { terms, from, wanted, read } = looking;
  const step = bounds.rowsAtATime ?? rowsAtATime;
  const began = performance.now();
  const rows: T[] = [];
  for (let { last, looked } = from; ;) {
    const end = await placeAfter(looking, last, step);
    const within = [...(last ? [behind(terms, last)] : []), ...(end ? [upTo(terms, end)] : [])];
    rows.push(...(await read(within, wanted - rows.length)));
    if (rows.length >= wanted || end === null) return { rows, stopped: null };
    [last, looked] = [end, looked + step];
    if (performance.now() - began >= (bounds.patience ?? patience))
      return { rows, stopped: { last, looked } };
  }
}

/** The order values of the row that stands so many rows further on; `null` where the table ends before. */
async function placeAfter<T>(
  { runner, query, distinct, terms }: Looking<T>,
  last: readonly Bound[] | null,
  rows: number,
): Promise<Bound[] | null> {
  const columns = terms.map(({ sql }, i) => `${sql} as o${i}`).join(', ');
  const after = allOf([...(distinct ?? []), ...(last ? [behind(terms, last)] : [])]);
  const select = distinct ? 'select distinct' : 'select';
  const sql = `${select} ${columns} ${query.from()} where ${after.sql} ${orderBy(terms)} limit 1 offset ${rows - 1}`;
  const [row] = await rowsOf(runner, sql, after.bindings);
  return row ? orderValues(terms, row) : null;
}

/** Where a row stands in an order, as it was read with it. */
export function orderValues(terms: readonly OrderTerm[], row: Row): Bound[] {
  return terms.map((_, i) => row[`o${i}`] as Bound);
}
