import { parse } from 'csv-parse/sync';
import knex from 'knex';
import { addressFrom, statementFrom } from '$lib/core/outside/template';
import type { NamedConnection, Query } from '$lib/core/outside/query';
import { fail, problem, ProblemError } from '$lib/core/problems';
import type { Scalar } from '$lib/core/values/types';
import { askHttp } from './http';

/** Under what an outside system is asked. */
export interface Asking {
  /** How people know the system. */
  title: string;
  secret: string | null;
  /** The hosts that may be asked. */
  hosts: readonly string[];
  signal: AbortSignal;
  /** Milliseconds. */
  limit: number;
}

/** Asks a query of a system and gives its answer as it came: JSON, or rows. Fails with what went wrong. */
export async function askSystem(
  { title, reach }: NamedConnection,
  query: Pick<Query, 'text' | 'limit'>,
  values: Readonly<Record<string, Scalar>>,
  { secret, hosts }: Pick<Asking, 'secret' | 'hosts'>,
): Promise<unknown> {
  const { limit } = query;
  const signal = AbortSignal.timeout(limit);
  const asking = { title, secret, hosts, signal, limit };
  try {
    switch (reach.kind) {
      case 'http': {
        const address = addressFrom(reach.base, query.text, values);
        const { status, body } = await askHttp(reach, address, asking);
        // Nothing there is an answer, not a failure.
        if (status === 404) return [];
        if (status >= 400) fail('outside_status', { system: title, status }, 502);
        return body;
      }
      case 'sql':
        return await askSql(reach, query.text, values, asking);
      case 'file':
        return parse(reach.text, { columns: true, bom: true, relaxColumnCount: true });
    }
  } catch (error) {
    throw told(error, title, limit);
  }
}

/** What went wrong, as a problem; nothing of the secret, and no address, is told. */
export function told(error: unknown, system: string, limit: number): ProblemError {
  if (error instanceof ProblemError) return error;
  const { name = '', code = '' } = (error ?? {}) as { name?: string; code?: string };
  const slow =
    name === 'TimeoutError' || name === 'AbortError' || code === 'PROTOCOL_SEQUENCE_TIMEOUT';
  if (slow) return new ProblemError(problem('outside_slow', { system, limit }), 504);
  const words = (error as { sqlMessage?: string }).sqlMessage;
  if (words) {
    if (/max_statement_time|interrupted/i.test(words)) {
      return new ProblemError(problem('outside_slow', { system, limit }), 504);
    }
    return new ProblemError(problem('outside_refused', { system, reason: words }), 502);
  }
  return new ProblemError(problem('outside_away', { system }), 502);
}

type Sql = Extract<NamedConnection['reach'], { kind: 'sql' }>;

/** Asks a database with SELECT only, in a transaction that cannot write, within the time. */
async function askSql(
  { host, port, database, user }: Sql,
  text: string,
  values: Readonly<Record<string, Scalar>>,
  { secret, hosts, limit }: Asking,
): Promise<unknown> {
  if (!hosts.includes(host) && !hosts.includes(`${host}:${port}`)) {
    fail('outside_host_refused', { host: `${host}:${port}` }, 403);
  }
  const outside = knex({
    client: 'mysql2',
    connection: {
      host,
      port,
      database,
      user,
      password: secret ?? '',
      connectTimeout: limit,
      dateStrings: true,
      decimalNumbers: false,
      supportBigNumbers: true,
    },
    pool: { min: 0, max: 1 },
    acquireConnectionTimeout: limit,
  });
  try {
    const { sql, bound } = statementFrom(text.replace(/;\s*$/, ''), values);
    return await outside.transaction(
      async (trx) => {
        const within = `set statement max_statement_time = ${limit / 1000} for ${sql}`;
        const [rows] = await trx.raw(within, bound as (string | number | boolean)[]);
        return rows;
      },
      { readOnly: true },
    );
  } finally {
    await outside.destroy();
  }
}
