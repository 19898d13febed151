import MySql2Client from 'knex/lib/dialects/mysql2/index.js';
import { log } from '../log';
import { noteCommitted, noteWriting } from './moment';
import { wantedUntil } from './wanted';

interface Connection {
  query(
    options: { sql: string },
    bindings: unknown,
    done: (error: unknown, rows: unknown, fields: unknown) => void,
  ): void;
  /** What the database calls the connection. */
  threadId: number;
  /** Set by Knex on the connection of a transaction. */
  __knexTxId?: string;
}

interface Query {
  sql: string;
  bindings?: readonly unknown[];
  options?: object;
  response?: [rows: unknown, fields: unknown];
}

interface Waiting {
  query: Query;
  resolve(query: Query): void;
  reject(error: unknown): void;
}

/** At most so many characters of SQL, values not counted, go to the database in one trip. */
const mostTogether = 200_000;

/**
 * Knex's client for MariaDB, in whose transactions reads that are asked for together (and what gives rows as they do)
 * also go to the database together, as one compound statement. Most of a save is short reads of a fraction of a
 * millisecond, and every trip costs more than that on both sides. What fails fails for all of them:
 * a transaction in which a read failed is rolled back anyway.
 * https://mariadb.com/kb/en/begin-end/
 */
export class TogetherClient extends MySql2Client {
  override _query(connection: Connection, query: Query): Promise<Query> {
    if (!/^\(?(select|show|begin|commit)\b/i.test(query.sql)) noteWriting();
    const alone = async (one: Query) => noted(await super._query(connection, one));
    if (connection.__knexTxId === undefined) {
      const signal = /^select\b/i.test(query.sql) ? wantedUntil() : null;
      return signal ? runWanted(this, connection, signal, () => alone(query)) : alone(query);
    }
    if (!givesRows(query)) return alone(query);
    return new Promise((resolve, reject) => {
      const gathering = gathered.get(connection);
      if (gathering) return void gathering.push({ query, resolve, reject });
      const own: Waiting[] = [{ query, resolve, reject }];
      gathered.set(connection, own);
      setImmediate(() => {
        gathered.delete(connection);
        for (const group of groupsOf(inOrder(own))) {
          const [only] = group;
          if (only && group.length === 1) alone(only.query).then(only.resolve, only.reject);
          else send(connection, group);
        }
      });
    });
  }
}

/**
 * Runs a read that is ended in the database when it is not wanted any more. The connection is given back only when
 * whatever ends it has been done, so that it never ends what somebody else reads on it.
 */
async function runWanted(
  client: TogetherClient,
  connection: Connection,
  signal: AbortSignal,
  read: () => Promise<Query>,
): Promise<Query> {
  signal.throwIfAborted();
  let ending: Promise<void> | null = null;
  const end = () => {
    ending = endQuery(client, connection.threadId);
  };
  signal.addEventListener('abort', end, { once: true });
  try {
    return await read();
  } finally {
    signal.removeEventListener('abort', end);
    await ending;
  }
}

async function endQuery(client: TogetherClient, thread: number): Promise<void> {
  try {
    // Not one of the pool: those may all be reading what is to be ended.
    const other = await client.acquireRawConnection();
    try {
      await MySql2Client.prototype._query.call(client, other, {
        sql: `kill query ${Number(thread)}`,
      });
    } finally {
      await client.destroyRawConnection(other);
    }
  } catch (err) {
    log.debug({ err }, 'a read that nobody waits for was left to its end');
  }
}

/** Notes how far the log has come, where a statement says so: it was, or ended, a transaction that wrote. */
function noted(query: Query): Query {
  const [header] = query.response ?? [];
  const told = (header as { stateChanges?: StateChanges } | undefined)?.stateChanges;
  const gtid = told?.systemVariables?.last_gtid;
  if (gtid) noteCommitted(gtid);
  return query;
}

interface StateChanges {
  systemVariables?: { last_gtid?: string };
}

/** The reads asked for in this turn of the event loop, by the connection of their transaction. */
const gathered = new WeakMap<Connection, Waiting[]>();

function send(connection: Connection, group: readonly Waiting[]): void {
  const sql = `begin not atomic ${group.map(({ query }) => query.sql).join('; ')}; end`;
  const bindings = group.flatMap(({ query }) => query.bindings ?? []);
  connection.query({ sql }, bindings, (error, rows, fields) => {
    group.forEach(({ query, resolve, reject }, i) => {
      if (error) return reject(error);
      query.response = [(rows as unknown[])[i], (fields as unknown[])[i]];
      resolve(query);
    });
  });
}

/** Whether a query gives one set of rows and no other answer: a read, or what is written down and told by its id. */
function givesRows({ sql, options }: Query): boolean {
  const isOne = /^select\b/i.test(sql) || /^insert\b[^;]*\breturning id$/i.test(sql);
  return isOne && (options === undefined || Object.keys(options).length === 0);
}

/** What locks goes before what reads: what is read is as it will stay. */
function inOrder(waiting: readonly Waiting[]): Waiting[] {
  const locks = ({ query }: Waiting) => / for update$/i.test(query.sql);
  return [...waiting.filter(locks), ...waiting.filter((one) => !locks(one))];
}

function groupsOf(waiting: readonly Waiting[]): Waiting[][] {
  const groups: Waiting[][] = [];
  let length = Infinity;
  for (const one of waiting) {
    length += one.query.sql.length;
    if (length > mostTogether) {
      groups.push([]);
      length = one.query.sql.length;
    }
    groups.at(-1)?.push(one);
  }
  return groups;
}
