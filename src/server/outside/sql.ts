import type { Connection as Connection_ } from 'mysql2';
import { createPool, escape, type Pool, type PoolConnection } from 'mysql2/promise';
import { largestAnswer, mostOutsideRows, type Connection } from '$lib/core/outside/query';
import { statementFrom } from '$lib/core/outside/template';
import { fail } from '$lib/core/problems';
import type { Scalar } from '$lib/core/values/types';
import { duplicateIndex } from '../database/errors';
import { inTime } from '../in-time';
import { addressToReach } from './addresses';
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
  return within(reach, reached, 'read', async (connection) => {
    await refuseOthers(connection, text, values);
    return readRows(connection, statement(text, values, reached.limit), reached);
  });
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
    await within(reach, reached, 'write', async (connection) => {
      await connection.query(statement(text, values, reached.limit));
    });
  } catch (error) {
    if (duplicateIndex(error) === null || !text.includes('{once}')) throw error;
  }
}

/** Statements that the database of each connection has parsed as a SELECT. */
const parsed = new WeakMap<object, Set<string>>();
const mostParsed = 500;

/**
 * Refuses what the database itself does not parse as a SELECT that could stand inside of another one: nothing
 * that writes, and no INTO, can. It parses and does not run it. A SELECT that it cannot parse at all is told
 * in its own words.
 */
async function refuseOthers(
  connection: PoolConnection,
  text: string,
  values: Values,
): Promise<void> {
  const known = parsed.get(connection.connection) ?? new Set();
  parsed.set(connection.connection, known);
  if (known.has(text)) return;
  const asked = filledIn(text, values);
  const parses = async (tried: string) => (await connection.prepare(tried)).close();
  try {
    await parses(`select exists (${asked}\n)`);
  } catch {
    await parses(asked);
    fail('select_only', {});
  }
  if (known.size >= mostParsed) known.clear();
  known.add(text);
}

/**
 * Whether a statement looks like one that only reads: a SELECT that writes no file, reads none and locks
 * nothing. Words inside of texts and names do not count; two dashes begin a comment only before a blank. A
 * comment that the database may run (`/*!`) is none of a SELECT.
 */
function isReading(text: string): boolean {
  if (/\/\*[!M]/.test(text)) return false;
  if (!/^[\s(]*(?:select|with|values)\b/i.test(text)) return false;
  const bare = text
    .replace(/'(?:[^'\\]|\\.|'')*'|"(?:[^"\\]|\\.|"")*"|`(?:[^`]|``)*`/gs, ' x ')
    .replace(/\/\*.*?\*\/|--(?=\s|$)[^\n]*|#[^\n]*/gs, ' ');
  if (/\binto\b|\bfor\s+update\b|\bshare\s+mode\b|\bprocedure\b/i.test(bare)) return false;
  return !/\b(?:load_file|get_lock|release_lock|release_all_locks|sleep|benchmark|nextval|setval)\s*\(/i.test(
    bare,
  );
}

/** Whether a statement is one that writes rows. */
function isWriting(text: string): boolean {
  return /^\s*(insert|update|delete)\b/i.test(text);
}

/** A statement with its values in it, that the database itself ends in time. */
function statement(text: string, values: Values, limit: number): string {
  return `set statement max_statement_time = ${limit / 1000} for ${filledIn(text, values)}`;
}

/** A statement with its values in it. */
function filledIn(text: string, values: Values): string {
  const { sql, bound } = statementFrom(text.replace(/;\s*$/, ''), values);
  const rest = [...bound];
  // A mark of the statement itself stands behind a backslash.
  return sql.replace(/\\\?|\?/g, (mark) => (mark === '?' ? escape(rest.shift()) : '?'));
}

/** Reads rows as they come, up to a number and a size; what is behind them is not read. */
async function readRows(
  connection: PoolConnection,
  asked: string,
  { connection: { title } }: Reached,
): Promise<unknown[]> {
  const rows: unknown[] = [];
  let size = 0;
  // The promise stands around a connection that streams; its types do not say so.
  const raw = connection.connection as unknown as Connection_;
  const query = raw.query(asked);
  for await (const row of query.stream({ highWaterMark: 200 })) {
    rows.push(row);
    size += JSON.stringify(row).length;
    if (size > largestAnswer) {
      fail('outside_too_large', { system: title, limit: largestAnswer / 1_000_000 }, 502);
    }
    // One more than is shown, so that it is known that there are more.
    if (rows.length > mostOutsideRows) throw new Enough(rows);
  }
  return rows;
}

/** What was read is enough; the connection is closed in the middle of the answer. */
class Enough extends Error {
  constructor(readonly rows: unknown[]) {
    super('enough');
  }
}

/** A little longer than the database has: what it says itself is better than that it said nothing. */
const grace = 250;

/**
 * Does something in a transaction of its own. Nothing of it is waited for longer than its time: a database
 * whose connection is open and silent, too, is given up, and its connection closed.
 */
async function within<T>(
  reach: Sql,
  reached: Reached,
  wants: 'read' | 'write',
  work: (connection: PoolConnection) => Promise<T>,
): Promise<T> {
  const { host, port } = reach;
  const { hosts, limit } = reached;
  if (!hosts.includes(host) && !hosts.includes(`${host}:${port}`)) {
    fail('outside_host_refused', { host: `${host}:${port}` }, 403);
  }
  let connection: PoolConnection | null = null;
  let late = false;
  const doing = async (): Promise<T> => {
    const pool = await poolOf(reach, reached);
    const taken = await pool.getConnection();
    connection = taken;
    if (late) throw timeout();
    await refuseFiles(taken, reached);
    await taken.query(wants === 'read' ? 'start transaction read only' : 'start transaction');
    const gave = await work(taken);
    await taken.query('commit');
    taken.release();
    return gave;
  };
  try {
    return await inTime(doing(), limit + grace, timeout);
  } catch (error) {
    late = true;
    (connection as PoolConnection | null)?.destroy();
    if (error instanceof Enough) return error.rows as T;
    throw error;
  }
}

const timeout = () => Object.assign(new Error('too slow'), { name: 'TimeoutError' });

/** Connections of users that have been looked at. */
const harmless = new WeakSet<object>();

/** Refuses a user who may read and write files of the database's machine: no statement could be trusted then. */
async function refuseFiles(
  connection: PoolConnection,
  { connection: { title } }: Reached,
): Promise<void> {
  if (harmless.has(connection.connection)) return;
  const [rows] = await connection.query('show grants');
  const grants = (rows as Record<string, string>[]).flatMap((row) => Object.values(row));
  const files = /^GRANT (?:.*\bFILE\b.*|ALL PRIVILEGES) ON \*\.\* /;
  if (grants.some((grant) => files.test(grant))) fail('outside_file_right', { system: title }, 403);
  harmless.add(connection.connection);
}

/** Connections are kept for a while: signing in takes longer than most questions. */
const pools = new Map<string, Pool>();
const mostPools = 20;

async function poolOf(reach: Sql, { secret, hosts, limit }: Reached): Promise<Pool> {
  const { host, port, database, user } = reach;
  // The connection is made to the address that was looked at, whatever the name says later.
  const address = await addressToReach(host, hosts);
  const name = JSON.stringify([address, port, database, user, secret, limit]);
  const known = pools.get(name);
  if (known) return known;
  const made = createPool({
    ...{ host: address, port, database, user, password: secret ?? '', connectTimeout: limit },
    ...{ dateStrings: true, decimalNumbers: false, supportBigNumbers: true },
    ...{ connectionLimit: 4, maxIdle: 1, idleTimeout: 20_000, enableKeepAlive: true },
  });
  pools.set(name, made);
  const [oldest] = pools;
  if (pools.size > mostPools && oldest) {
    pools.delete(oldest[0]);
    void oldest[1].end().catch(() => undefined);
  }
  return made;
}

/** Closes the connections that are kept; called when the server stops. */
export async function closePools(): Promise<void> {
  const open = [...pools.values()];
  pools.clear();
  await Promise.all(open.map((pool) => inTime(pool.end(), 2000, timeout).catch(() => undefined)));
}
