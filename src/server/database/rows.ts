import type { Knex } from 'knex';
import type { Runner } from './connection';

/** What is bound to a place of a statement. */
export type Bound = string | number | null;

/** What the database gives of a row; its columns are read by whoever knows their types (`fromDatabase`). */
export type Row = Readonly<Record<string, unknown>>;

/**
 * Reads rows by a statement of our own, its values bound. One that `ends` a transaction commits it as well: what that
 * has written by then stands, and nothing may be written after it.
 */
export async function rowsOf(
  runner: Runner,
  sql: string,
  bindings: readonly Bound[] = [],
  { ends = false } = {},
): Promise<Row[]> {
  // The driver gives rows and fields; a SELECT gives a list of rows.
  if (!runner.isTransaction) return (await runner.raw<[Row[], unknown]>(sql, [...bindings]))[0];
  // A save has many short reads: nothing is built for them, or waited for.
  const { response } = await sent(runner, { sql, bindings: [...bindings], ends });
  return response[0];
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
  await sent(trx, { sql, bindings: [...bound], binary: true });
}

/** A statement for the client of this house (`TogetherClient`). */
interface Statement {
  sql: string;
  bindings: (Bound | Buffer)[];
  ends?: boolean;
  binary?: boolean;
}

/** A transaction, with what Knex runs its statements by. */
interface InTransaction {
  client: {
    acquireConnection(): Promise<unknown>;
    query(connection: unknown, statement: Statement): Promise<{ response: [Row[], unknown] }>;
  };
}

async function sent({ client }: InTransaction, statement: Statement) {
  return client.query(await client.acquireConnection(), statement);
}
