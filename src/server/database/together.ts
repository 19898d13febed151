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
  execute(sql: string, bindings: unknown, done: (error: unknown, rows: unknown) => void): void;
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
  /** Whether the transaction is committed with it: nothing is written after it. */
  ends?: boolean;
  /** What the database said when it was. */
  end?: unknown;
  /** Whether the values go as they are, in the binary protocol. */
  binary?: boolean;
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
 * a transaction in which a read failed is rolled back anyway. A transaction begins with the first statement of it,
 * and is committed with the one that says so.
 * https://mariadb.com/kb/en/begin-end/
 */
export class TogetherClient extends MySql2Client {
  override _query(connection: Connection, query: Query): Promise<Query> {
    if (!/^\(?(select|show|begin|commit|rollback)\b/i.test(query.sql)) noteWriting();
    const plain = async (one: Query) =>
      noted(await (one.binary ? runBinary(connection, one) : super._query(connection, one)));
    if (connection.__knexTxId === undefined) {
      const signal = /^select\b/i.test(query.sql) ? wantedUntil() : null;
      return signal ? runWanted(this, connection, signal, () => plain(query)) : plain(query);
    }
    if (isBorder(connection, query))
      return Promise.resolve({ ...query, response: [{}, undefined] });
    const alone = async (one: Query) => {
      if (toBegin.delete(connection)) await super._query(connection, { sql: 'begin' });
      return plain(one);
    };
    if (!givesRows(query)) return alone(query);
    const together = new Promise<Query>((resolve, reject) => {
      const gathering = gathered.get(connection);
      if (gathering) return void gathering.push({ query, resolve, reject });
      const own: Waiting[] = [{ query, resolve, reject }];
      gathered.set(connection, own);
      setImmediate(() => {
        gathered.delete(connection);
        const groups = groupsOf(inOrder(own));
        const ends = own.some((one) => one.query.ends);
        for (const [i, group] of groups.entries()) {
          const [only] = group;
          const border = { begins: toBegin.has(connection), ends: ends && i === groups.length - 1 };
          if (only && group.length === 1 && !border.begins && !border.ends) {
            plain(only.query).then(only.resolve, only.reject);
          } else send(connection, group, border);
        }
      });
    });
    return query.ends ? together.then(noted) : together;
  }
}

function runBinary(connection: Connection, query: Query): Promise<Query> {
  return new Promise((resolve, reject) => {
    connection.execute(query.sql, query.bindings, (error, rows) =>
      error ? reject(error) : resolve({ ...query, response: [rows, undefined] }),
    );
  });
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
  const header = query.end ?? query.response?.[0];
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

/** Connections whose transaction begins with the next statement. */
const toBegin = new WeakSet<Connection>();
/** Connections whose transaction was committed with its last statement. */
const ended = new WeakSet<Connection>();

/** Whether a statement begins or ends a transaction and has nothing to tell the database. */
function isBorder(connection: Connection, { sql }: Query): boolean {
  if (/^begin;?$/i.test(sql)) {
    toBegin.add(connection);
    ended.delete(connection);
    return true;
  }
  if (!/^(commit|rollback);?$/i.test(sql)) return false;
  // Nothing was done in it, or all is done.
  return toBegin.delete(connection) || ended.delete(connection);
}

function send(
  connection: Connection,
  group: readonly Waiting[],
  { begins, ends }: { begins: boolean; ends: boolean },
): void {
  if (begins) toBegin.delete(connection);
  const statements = [
    ...(begins ? ['start transaction'] : []),
    ...group.map(({ query }) => query.sql),
    ...(ends ? ['commit'] : []),
  ];
  const sql = `begin not atomic ${statements.join('; ')}; end`;
  const bindings = group.flatMap(({ query }) => query.bindings ?? []);
  connection.query({ sql }, bindings, (error, rows, fields) => {
    if (!error && ends) ended.add(connection);
    group.forEach(({ query, resolve, reject }, i) => {
      if (error) return reject(error);
      query.response = [(rows as unknown[])[i], (fields as unknown[])[i]];
      if (ends) query.end = (rows as unknown[]).at(-1);
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
