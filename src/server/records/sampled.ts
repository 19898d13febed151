import { LRUCache } from 'lru-cache';
import type { Database, Runner } from '../database/connection';
import { rowsOf } from '../database/rows';
import { forAll } from '../database/wanted';
import type { TableQuery, Expression } from './query';
import { wordsOf } from './search';

/** A sample is some rows from each of so many places of a table, evenly apart. */
const places = 256;
const rowsEach = 8;
/** It is taken again after so long. Milliseconds. */
const fresh = 300_000;
/** So many samples are kept. */
const mostKept = 50;

/** The words of some rows of a table, folded: enough to tell common words from rare ones. */
export interface Sample {
  rows: readonly { id: number; words: readonly string[] }[];
}

const kept = new WeakMap<Database, LRUCache<string, Promise<Sample>>>();

/** A sample of what is shown of a table's records. */
export function sampleOf(
  db: Database,
  runner: Runner,
  query: TableQuery,
  shown: readonly Expression[],
): Promise<Sample> {
  const all = kept.get(db) ?? new LRUCache<string, Promise<Sample>>({ max: mostKept, ttl: fresh });
  kept.set(db, all);
  const from = query.from();
  const name = `${from} ${shown.map(({ sql }) => sql).join(' ')}`;
  const known = all.get(name);
  if (known) return known;
  const sample = forAll(() => readSample(runner, from, shown));
  sample.catch(() => all.delete(name));
  all.set(name, sample);
  return sample;
}

async function readSample(
  runner: Runner,
  from: string,
  shown: readonly Expression[],
): Promise<Sample> {
  const [ends] = await rowsOf(runner, `select min(r.id) as first, max(r.id) as last ${from}`);
  const [first, last] = [Number(ends?.first ?? 0), Number(ends?.last ?? 0)];
  const step = Math.max(rowsEach, Math.floor((last - first + 1) / places));
  // Not at round numbers: what is numbered by them would seem common.
  const shift = Math.floor(step / 3);
  const starts = Array.from({ length: places }, (_, i) => first + i * step + (i % 3) * shift);
  const ranges = starts.map(() => '(r.id >= ? and r.id < ?)').join(' or ');
  const columns = shown.map(({ sql }, i) => `${sql} as c${i}`).join(', ');
  const sql = `select r.id as id, ${columns} ${from} where ${ranges}`;
  const rows = await rowsOf(
    runner,
    sql,
    starts.flatMap((start) => [start, start + rowsEach]),
  );
  return {
    rows: rows.map((row) => ({
      id: Number(row.id),
      words: shown.flatMap((_, i) => wordsOf(String(row[`c${i}`] ?? '')).map(folded)),
    })),
  };
}

/**
 * In what part of the rows each word begins a word, and in what part all of them do: between 0 and 1. What was not met
 * at all is taken for a third of one row. `first` is the first row of the sample that has all of them.
 */
export function sharesOf(
  { rows }: Sample,
  words: readonly string[],
): { each: number[]; all: number; first: number | null } {
  const total = Math.max(1, rows.length);
  const met = words.map(() => 0);
  let together = 0;
  let first: number | null = null;
  const wanted = words.map(folded);
  for (const row of rows) {
    const has = wanted.map((word) => row.words.some((one) => one.startsWith(word)));
    has.forEach((is, i) => (met[i] = (met[i] ?? 0) + Number(is)));
    if (!has.every(Boolean)) continue;
    together++;
    first ??= row.id;
  }
  const share = (n: number) => (n === 0 ? 1 / 3 : n) / total;
  const each = met.map(share);
  // Of words that were not met together, each is taken to stand by itself.
  const apart = each.reduce((product, one) => product * one, 1);
  return { each, all: together > 0 ? share(together) : Math.min(share(0), apart), first };
}

/** As the database compares texts, nearly: without case, and without accents. */
export function folded(text: string): string {
  return text.normalize('NFD').replace(/\p{M}/gu, '').toLowerCase();
}
