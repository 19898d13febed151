import type { Knex } from 'knex';
import type { Connection } from 'mysql2';
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

/**
 * Runs one statement of a transaction with its values sent as they are (prepared, in the binary protocol): bytes
 * are not written out as text, which takes ten times as long.
 */
export async function runBinary(
  trx: Knex.Transaction,
  sql: string,
  bound: readonly (string | number | Buffer | null)[],
): Promise<void> {
  const connection = (await trx.client.acquireConnection()) as Pick<Connection, 'execute'>;
  try {
    await new Promise<void>((done, failed) => {
      connection.execute(sql, [...bound], (error) => (error ? failed(error) : done()));
    });
  } finally {
    await trx.client.releaseConnection(connection);
  }
}
