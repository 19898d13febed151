import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { freePort, startMariadb, type OwnMariadb } from '../../scripts/mariadb.mjs';
import { startServer, type OwnServer } from '../../scripts/server.mjs';
import { endDatabase, openDatabase, type Database } from '../../src/server/database/connection';
import { keeperCookie } from './keeper';
import { migrate } from '../../src/server/database/migrate';

/** A database and servers of a test's own, that may be killed. */
export interface OwnHouse {
  folder: string;
  database: OwnMariadb;
  db: Database;
  /** Starts a server on the database; several can run at once. */
  serve(env?: Record<string, string>): Promise<OwnServer & { cookie: string }>;
  end(): Promise<void>;
}

/** Starts a database in a folder of its own, migrated. Call `end` in the end. */
export async function ownHouse(name: string): Promise<OwnHouse> {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), `unisor-${name}-`));
  const database = await startMariadb(folder);
  const db = openDatabase(database.url);
  await migrate(db, database.url);
  const servers: OwnServer[] = [];
  return {
    ...{ folder, database, db },
    async serve(env = {}) {
      const port = await freePort();
      const options = { url: database.url, port, log: 'silent', output: 'ignore' as const, env };
      const server = await startServer(options);
      servers.push(server);
      return { ...server, cookie: await keeperCookie(db) };
    },
    async end() {
      await Promise.all(servers.map((server) => server.stop()));
      await endDatabase(db);
      await database.stop();
      fs.rmSync(folder, { recursive: true, force: true });
    },
  };
}

/** Sends JSON as a page of the server does. */
export function send(
  server: OwnServer & { cookie?: string },
  method: string,
  address: string,
  body?: unknown,
  more: RequestInit = {},
): Promise<Response> {
  return fetch(server.address + address, {
    ...more,
    method,
    headers: {
      origin: server.address,
      ...(server.cookie === undefined ? {} : { cookie: server.cookie }),
      ...(body === undefined ? {} : { 'content-type': 'application/json' }),
      ...(more.headers as Record<string, string> | undefined),
    },
    ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
  });
}
