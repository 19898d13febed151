import knex, { type Knex } from 'knex';
import type { Connection } from '$lib/core/outside/query';
import { statementFrom } from '$lib/core/outside/template';
import { fail } from '$lib/core/problems';
import type { Scalar } from '$lib/core/values/types';
import { duplicateIndex } from '../database/errors';
import type { Reached } from './system';

type Sql = Extract<Connection, { kind: 'sql' }>;
type Values = Readonly<Record<string, Scalar>>;

/** Asks a database with SELECT only, in a transaction that cannot write, within the time. */
export async function askSql(
  reach: Sql,
  text: string,
  values: Values,
  reached: Reached,
): Promise<unknown> {
  if (!isReading(text)) fail('select_only', {});
  return within(reach, reached, true, (trx) => run(trx, text, values, reached.limit));
}

/**
 * Runs one statement that writes, within the time; only where the connection allows it. Where it stores
 * the key under which it is sent (`{once}`) in a unique column, a second try writes nothing more.
 */
export async function writeSql(
  reach: Sql,
  text: string,
  values: Values,
  reached: Reached,
): Promise<void> {
  const { title: system } = reached.connection;
  if (!reach.writes) fail('outside_read_only', { system }, 403);
  if (!isWriting(text)) fail('writing_only', {});
  try {
    await within(reach, reached, false, (trx) => run(trx, text, values, reached.limit));
  } catch (error) {
    if (duplicateIndex(error) === null || !text.includes('{once}')) throw error;
  }
}

/**
 * Whether a statement only reads: a SELECT that writes no file, reads none and locks nothing. Words inside
 * of texts and names do not count. A comment that the database may run (`/*!`) is none of a SELECT.
 */
function isReading(text: string): boolean {
  if (/\/\*[!M]/.test(text)) return false;
  const bare = text
    .replace(/'(?:[^'\\]|\\.|'')*'|"(?:[^"\\]|\\.|"")*"|`(?:[^`]|``)*`/gs, ' x ')
    .replace(/\/\*.*?\*\/|--[^\n]*|#[^\n]*/gs, ' ');
  if (/\binto\b|\bfor\s+update\b|\bshare\s+mode\b|\bprocedure\b/i.test(bare)) return false;
  return !/\b(?:load_file|get_lock|release_lock|release_all_locks|sleep|benchmark|nextval|setval)\s*\(/i.test(
    bare,
  );
}

/** Whether a statement is one that writes rows. */
function isWriting(text: string): boolean {
  return /^\s*(insert|update|delete)\b/i.test(text);
}

async function run(trx: Knex, text: string, values: Values, limit: number): Promise<unknown> {
  const { sql, bound } = statementFrom(text.replace(/;\s*$/, ''), values);
  const timed = `set statement max_statement_time = ${limit / 1000} for ${sql}`;
  const [rows] = await trx.raw(timed, bound as (string | number | boolean)[]);
  return rows;
}

async function within<T>(
  reach: Sql,
  { secret, hosts, limit }: Reached,
  readOnly: boolean,
  work: (trx: Knex) => Promise<T>,
): Promise<T> {
  const { host, port } = reach;
  if (!hosts.includes(host) && !hosts.includes(`${host}:${port}`)) {
    fail('outside_host_refused', { host: `${host}:${port}` }, 403);
  }
  return poolOf(reach, secret, limit).transaction(work, { readOnly });
}

const quiet = () => undefined;

/** Connections are kept for a while: signing in takes longer than most questions. */
const pools = new Map<string, Knex>();
const mostPools = 20;

function poolOf(reach: Sql, secret: string | null, limit: number): Knex {
  const { host, port, database, user } = reach;
  const name = JSON.stringify([host, port, database, user, secret, limit]);
  const known = pools.get(name);
  if (known) return known;
  const made = knex({
    client: 'mysql2',
    connection: {
      ...{ host, port, database, user, password: secret ?? '', connectTimeout: limit },
      ...{ dateStrings: true, decimalNumbers: false, supportBigNumbers: true },
    },
    pool: { min: 0, max: 4, idleTimeoutMillis: 20_000, reapIntervalMillis: 5_000 },
    acquireConnectionTimeout: limit,
    // That it cannot be reached is told where it was asked.
    log: { warn: quiet, error: quiet, deprecate: quiet, debug: quiet },
  });
  pools.set(name, made);
  const [oldest] = pools;
  if (pools.size > mostPools && oldest) {
    pools.delete(oldest[0]);
    void oldest[1].destroy();
  }
  return made;
}

/** Closes the connections that are kept; called when the server stops. */
export async function closePools(): Promise<void> {
  const open = [...pools.values()];
  pools.clear();
  await Promise.all(open.map((pool) => pool.destroy()));
}
