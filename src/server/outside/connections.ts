import { createHash } from 'node:crypto';
import {
  namedConnectionSchema,
  queryProblems,
  querySchema,
  type NamedConnection,
  type Query,
} from '$lib/core/outside/query';
import { scopesOf, type Plan } from '$lib/core/plan/schema';
import { fail, ProblemError } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { listForms, loadDraft, loadEdition } from '../catalog/forms';
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

/** Makes a connection, or changes it; `secret` is kept as it is where nothing is given, `''` removes it. */
export async function keepConnection(
  db: Database,
  connection: NamedConnection,
  secret: string | undefined,
  by: string,
  goal: 'make' | 'change',
): Promise<ConnectionHead> {
  const { key, reach } = connection;
  const hosts = await allowedHosts(db);
  const host = hostOf(reach);
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
  if (goal === 'make') {
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

/** Removes a connection that no query uses, and that no form tells anything. */
export async function removeConnection(db: Database, key: string): Promise<void> {
  const { title } = await connectionFrom(db, key);
  const queries = (await listQueries(db)).filter((query) => query.connection === key);
  const forms = await tellingForms(db, key);
  const users = [...queries.map((query) => query.title), ...forms.map(({ where }) => where)];
  if (users.length > 0) {
    fail('connection_in_use', { connection: title, users: users.join(', ') }, 409);
  }
  await connections(db).where({ connection_key: key }).delete();
  await bumpCatalog(db, db.knex);
}

/** All queries by title. */
export async function listQueries(db: Database): Promise<Query[]> {
  const rows = (await queries(db).select('definition')) as { definition: unknown }[];
  return rows
    .map(({ definition }) => querySchema.parse(parseJson(definition)))
    .sort((a, b) => a.title.localeCompare(b.title));
}

/** One query; fails with 404. */
export async function queryFrom(db: Database, key: string): Promise<Query> {
  const row = await queries(db).where({ query_key: key }).first('definition');
  if (!row) return fail('unknown_query', { query: key }, 404);
  return querySchema.parse(parseJson(row.definition));
}

/** Makes a query, or changes it. Fails with everything that is wrong with it. */
export async function keepQuery(
  db: Database,
  query: Query,
  by: string,
  goal: 'make' | 'change',
): Promise<Query> {
  const { reach } = await connectionFrom(db, query.connection);
  const problems = queryProblems(query, reach.kind);
  if (problems.length > 0) throw new ProblemError(problems);
  const kept = {
    connection_key: query.connection,
    definition: JSON.stringify(query),
    changed_by: by,
    changed_at: db.knex.fn.now(),
  };
  if (goal === 'make') {
    try {
      await queries(db).insert({ query_key: query.key, ...kept });
    } catch (error) {
      if (duplicateIndex(error) === null) throw error;
      fail('query_exists', { query: query.key }, 409, 'key');
    }
  } else if ((await queries(db).where({ query_key: query.key }).update(kept)) === 0) {
    fail('unknown_query', { query: query.key }, 404);
  }
  await bumpCatalog(db, db.knex);
  return query;
}

/** Removes a query that no form uses. */
export async function removeQuery(db: Database, key: string): Promise<void> {
  const { title } = await queryFrom(db, key);
  const users = (await queryUses(db, key)).map((use) => use.where);
  if (users.length > 0) fail('query_in_use', { query: title, users: users.join(', ') }, 409);
  await queries(db).where({ query_key: key }).delete();
  await bumpCatalog(db, db.knex);
}

/** Where something outside is used: a form in words, and its page. */
export interface OutsideUse {
  where: string;
  href: string;
}

/** The forms that ask a query, in draft or newest edition, with the fields that do. */
export function queryUses(db: Database, key: string): Promise<OutsideUse[]> {
  return formsWith(db, (plan) => asking(plan, key));
}

/** The forms that tell a system something, in draft or newest edition. */
export function tellingForms(db: Database, key: string): Promise<OutsideUse[]> {
  return formsWith(db, (plan) => telling(plan, key));
}

async function formsWith(db: Database, partsOf: (plan: Plan) => string[]): Promise<OutsideUse[]> {
  const found: OutsideUse[] = [];
  for (const { key: form, title, edition } of await listForms(db)) {
    const plans = [(await loadDraft(db, form)).plan];
    if (edition > 0) plans.push((await loadEdition(db, form)).plan);
    const parts = [...new Set(plans.flatMap(partsOf))];
    if (parts.length > 0) {
      found.push({ where: `${title} (${parts.join(', ')})`, href: `/forms/${form}/design` });
    }
  }
  return found;
}

/** What of a plan tells a system something: its saves, and buttons. */
function telling({ sends = [], buttons = [] }: Plan, system: string): string[] {
  const saves = sends.some(({ connection }) => connection === system) ? ['saves'] : [];
  const pressed = buttons.filter(({ steps }) =>
    steps.some((step) => step.do === 'tell' && step.connection === system),
  );
  return [...saves, ...pressed.map(({ label }) => label)];
}

/** Where a plan asks a query: the labels of its fields, and that it passes through. */
function asking(plan: Plan, query: string): string[] {
  const whole = plan.through?.query === query ? ['passes through'] : [];
  const parts = scopesOf(plan).flatMap(({ fields }) =>
    fields
      .filter(
        ({ choices, outside }) =>
          outside?.query === query || (choices?.kind === 'outside' && choices.query === query),
      )
      .map(({ label }) => label),
  );
  return [...whole, ...parts];
}

/** The hosts that may be asked, as the keeper has set them: `register.example.org`, `127.0.0.1:4701`. */
export async function allowedHosts(db: Database): Promise<string[]> {
  const row = await settings(db).first('value');
  return String(row?.value ?? '')
    .split(/[\s,]+/)
    .filter((host) => host !== '');
}

/** Sets the hosts that may be asked. */
export async function allowHosts(db: Database, hosts: readonly string[]): Promise<void> {
  await settings(db).update({ value: hosts.join('\n') });
  await bumpCatalog(db, db.knex);
}

function head({ definition, secret, changed_by }: ConnectionRow): ConnectionHead {
  const connection = namedConnectionSchema.parse(parseJson(definition));
  return { ...connection, hasSecret: secret !== null, by: changed_by };
}

function connections(db: Database) {
  return db.knex('connection').withSchema(db.catalog);
}

function queries(db: Database) {
  return db.knex('query').withSchema(db.catalog);
}

function settings(db: Database) {
  return db.knex('setting').withSchema(db.catalog).where({ name: 'outside_hosts' });
}
