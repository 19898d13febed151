import type { Runner } from './connection';

/** What is bound to a place of a statement. */
export type Bound = string | number | null;

/** What the database gives of a row; its columns are read by whoever knows their types (`fromDatabase`). */
export type Row = Readonly<Record<string, unknown>>;

/** Reads rows by a statement of our own, its values bound. */
export async function rowsOf(
  runner: Runner,
  sql: string,
  bindings: readonly Bound[] = [],
): Promise<Row[]> {
  // The driver gives rows and fields; a SELECT gives a list of rows.
  const [rows] = await runner.raw<[Row[], unknown]>(sql, [...bindings]);
  return rows;
}
