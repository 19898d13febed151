import type { House, Table } from '$lib/core/table/definition';
import { severalIn } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { seenTable } from './sight';

/** That one column determines another: each of its values goes with one value of the other. */
export interface Dependency {
  from: string;
  to: string;
  /** Different values of the column, and of the other. */
  fromValues: number;
  toValues: number;
  /** Records looked at. */
  records: number;
  /** Values that go with several others, where there are a few: often errors in the data. */
  exceptions: { value: string; others: string[] }[];
}

/** At most so many columns are compared with one another. */
export const mostColumns = 12;
const sampleSize = 5000;
/** A near miss: so few values are exceptions that they are worth a look. */
const nearMiss = 0.02;
const mostShown = 5;

/**
 * Which columns of a table determine which others (functional dependencies between single columns),
 * exactly over all its records. Pairs that a sample contradicts beyond a near miss are not counted in
 * full. Columns that determine everything (unique ones) or that are always the same say nothing.
 */
export async function findDependencies(
  db: Database,
  tables: House,
  table: Table,
): Promise<Dependency[]> {
  const known = table.columns.filter(({ type }) => type.kind !== 'long_text' && !severalIn(type));
  const keys = known.slice(0, mostColumns).map((column) => column.key);
  const all = seenTable(db, tables, table.key, 'r');
  const sample = `(select ${names(keys)} from ${all} limit ${sampleSize}) as s`;
  const probable = await counted(db, sample, keys, pairsOf(keys));
  const useful = probable.pairs.filter(
    ([from, to]) => plausible(probable, from, to) && (probable.values.get(from) ?? 0) > 1,
  );
  if (useful.length === 0) return [];
  // A sample that holds every record has counted them all.
  const exact =
    probable.records < sampleSize
      ? probable
      : await counted(db, all, [...new Set(useful.flat())], useful);
  const found: Dependency[] = [];
  for (const [from, to] of useful) {
    const [fromValues, toValues] = [exact.values.get(from) ?? 0, exact.values.get(to) ?? 0];
    // A unique column determines everything; one value is determined by everything.
    if (toValues < 2 || fromValues <= toValues || fromValues > exact.records * 0.9) continue;
    const extra = (exact.together.get(`${from} ${to}`) ?? 0) - fromValues;
    if (extra > Math.max(1, fromValues * nearMiss)) continue;
    const exceptions = extra === 0 ? [] : await exceptionsOf(db, all, from, to);
    found.push({ from, to, fromValues, toValues, records: exact.records, exceptions });
  }
  return found.sort(
    (a, b) => a.exceptions.length - b.exceptions.length || a.fromValues - b.fromValues,
  );
}

interface Counts {
  pairs: [string, string][];
  records: number;
  /** Different values by column; absent ones not counted. */
  values: Map<string, number>;
  /** Different pairs of values, by `from to`. */
  together: Map<string, number>;
}

/** Counts different values and pairs, all in one pass over the rows for the columns and one for each pair. */
async function counted(
  db: Database,
  source: string,
  keys: readonly string[],
  pairs: [string, string][],
): Promise<Counts> {
  const single = keys.map((key, i) => `count(distinct \`${key}\`) as v${i}`);
  const [[row]] = await db.knex.raw(`select count(*) as n, ${single.join(', ')} from ${source}`);
  const values = new Map(keys.map((key, i) => [key, Number(row[`v${i}`])]));
  const worth = pairs.filter(([from, to]) => (values.get(from) ?? 0) >= (values.get(to) ?? 0));
  const together = new Map<string, number>();
  await Promise.all(
    worth.map(async ([from, to]) => {
      const sql = `select count(distinct \`${from}\`, \`${to}\`) as n from ${source}`;
      const [[pair]] = await db.knex.raw(sql);
      together.set(`${from} ${to}`, Number(pair.n));
    }),
  );
  return { pairs: worth, records: Number(row.n), values, together };
}

function plausible({ values, together, records }: Counts, from: string, to: string): boolean {
  const [a, b] = [values.get(from) ?? 0, values.get(to) ?? 0];
  if (a < 2 || b < 1 || a > records * 0.9) return false;
  return (together.get(`${from} ${to}`) ?? Infinity) - a <= Math.max(1, a * nearMiss);
}

/** The values that go with several others, with some of these. */
async function exceptionsOf(
  db: Database,
  source: string,
  from: string,
  to: string,
): Promise<Dependency['exceptions']> {
  const sql = `select \`${from}\` as a, group_concat(distinct \`${to}\` order by \`${to}\` separator '\u001f') as b from ${source} where \`${to}\` is not null group by \`${from}\` having count(distinct \`${to}\`) > 1 limit ${mostShown}`;
  const [rows] = await db.knex.raw(sql);
  return (rows as { a: unknown; b: string }[]).map((row) => ({
    value: String(row.a),
    others: row.b.split('\u001f').slice(0, mostShown),
  }));
}

function pairsOf(keys: readonly string[]): [string, string][] {
  return keys.flatMap((from) =>
    keys.filter((to) => to !== from).map((to): [string, string] => [from, to]),
  );
}

function names(keys: readonly string[]): string {
  return keys.map((key) => `\`${key}\``).join(', ');
}
