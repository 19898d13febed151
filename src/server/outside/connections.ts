import { allowedHosts } from './hosts';
import { createHash } from 'node:crypto';
import { namedConnectionSchema, type NamedConnection } from '$lib/core/outside/query';
import { fail } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import type { Database } from '../database/connection';
import { duplicateIndex } from '../database/errors';
import { bumpCatalog } from '../database/structure';
import { parseJson } from '../database/json';
import { opened, sealed } from './secrets';

/** A connection as people see it: without its secret. */
export interface ConnectionHead extends NamedConnection {
  /** Whether a secret is kept for it. */
  hasSecret: boolean;
  by: string;
}

interface ConnectionRow {
  definition: unknown;
  secret: string | null;
  changed_by: string;
}

/** All connections by title. */
export async function listConnections(db: Database): Promise<ConnectionHead[]> {
  const rows = (await connections(db).select()) as ConnectionRow[];
  return rows.map(head).sort((a, b) => a.title.localeCompare(b.title));
}

/** One connection; fails with 404. */
export async function connectionFrom(db: Database, key: string): Promise<ConnectionHead> {
  const row = (await connections(db).where({ connection_key: key }).first()) as
    ConnectionRow | undefined;
  return row ? head(row) : fail('unknown_connection', { connection: key }, 404);
}

/** What reaching outside systems needs to know, read again whenever the catalog has changed. */
interface Reachable {
  rows: ReadonlyMap<string, ConnectionRow>;
  hosts: string[];
}

const reachable = new WeakMap<House, Promise<Reachable>>();

function reachableOf(db: Database, tables: House): Promise<Reachable> {
  const reading = reachable.get(tables) ?? readReachable(db);
  reachable.set(tables, reading);
  return reading.catch((error: unknown) => {
    reachable.delete(tables);
    throw error;
  });
}

/** A connection with its secret in the clear, for asking only, and the hosts that may be asked. */
export async function connectionToAsk(
  db: Database,
  tables: House,
  key: string,
): Promise<{ connection: NamedConnection; secret: string | null; hosts: readonly string[] }> {
  const { rows, hosts } = await reachableOf(db, tables);
  const row = rows.get(key);
  if (!row) return fail('unknown_connection', { connection: key }, 404);
  return { connection: head(row), secret: row.secret === null ? null : opened(row.secret), hosts };
}

/** Changes with a connection and its secret: what was answered before a change is not the answer after it. */
export async function connectionRevision(
  db: Database,
  tables: House,
  key: string,
): Promise<string> {
  const { rows } = await reachableOf(db, tables);
  const row = rows.get(key);
  return createHash('sha256')
    .update(JSON.stringify([row?.definition, row?.secret]))
    .digest('hex')
    .slice(0, 16);
}

async function readReachable(db: Database): Promise<Reachable> {
  const [rows, hosts] = await Promise.all([
    connections(db).select() as Promise<(ConnectionRow & { connection_key: string })[]>,
    allowedHosts(db),
  ]);
  return { rows: new Map(rows.map((row) => [row.connection_key, row])), hosts };
}

/**
 * Makes a connection, or changes it; `secret` is kept as it is where nothing is given, `''` removes it. One that is
 * taken in from elsewhere may name a host that is not allowed here yet: it is not reached before it is.
 */
export async function keepConnection(
  db: Database,
  connection: NamedConnection,
  secret: string | undefined,
  by: string,
  goal: 'make' | 'change' | 'take',
): Promise<ConnectionHead> {
  const { key, reach } = connection;
  const hosts = await allowedHosts(db);
  const host = goal === 'take' ? null : hostOf(reach);
  if (host !== null && !hosts.includes(host) && !hosts.includes(host.replace(/:\d+$/, ''))) {
    fail('outside_host_refused', { host }, 403, 'reach');
  }
  if (goal === 'change' && secret === undefined) {
    // A secret is for the system for which it was given: it does not go along to another place.
    const before = (await connectionFrom(db, key)).reach;
    if (targetOf(before) !== targetOf(reach)) secret = '';
  }
  const kept = {
    definition: JSON.stringify(connection),
    changed_by: by,
    changed_at: db.knex.fn.now(),
    ...(secret === undefined ? {} : { secret: secret === '' ? null : sealed(secret) }),
  };
  if (goal !== 'change') {
    try {
      await connections(db).insert({ connection_key: key, ...kept });
    } catch (error) {
      if (duplicateIndex(error) === null) throw error;
      fail('connection_exists', { connection: key }, 409, 'key');
    }
  } else if ((await connections(db).where({ connection_key: key }).update(kept)) === 0) {
    fail('unknown_connection', { connection: key }, 404);
  }
  await bumpCatalog(db, db.knex);
  return connectionFrom(db, key);
}

/** The host that a connection reaches, with its port; `null` where it reaches none. */
function hostOf(reach: NamedConnection['reach']): string | null {
  if (reach.kind === 'http') return URL.canParse(reach.base) ? new URL(reach.base).host : null;
  return reach.kind === 'sql' ? `${reach.host}:${reach.port}` : null;
}

/** Where a secret goes: another target is another system. */
function targetOf(reach: NamedConnection['reach']): string {
  if (reach.kind === 'http') return `http ${reach.base.replace(/\/+$/, '')} ${reach.user}`;
  return reach.kind === 'sql' ? `sql ${reach.host}:${reach.port} ${reach.user}` : 'file';
}

function head({ definition, secret, changed_by }: ConnectionRow): ConnectionHead {
  const connection = namedConnectionSchema.parse(parseJson(definition));
  return { ...connection, hasSecret: secret !== null, by: changed_by };
}

function connections(db: Database) {
  return db.knex('connection').withSchema(db.catalog);
}
