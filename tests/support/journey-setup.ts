import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { freePort, startMariadb } from '../../scripts/mariadb.mjs';
import { startServer, startSimulators } from '../../scripts/server.mjs';
import { loadDemo } from '../../demo/load';
import { endDatabase, openDatabase } from '../../src/server/database/connection';
import { migrate } from '../../src/server/database/migrate';

/** A MariaDB with a small demo, and the built server on it; both stopped afterwards. */
export default async function setup(): Promise<() => Promise<void>> {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-journey-'));
  const database = await startMariadb(folder);
  const db = openDatabase(database.url);
  await migrate(db, database.url);
  const simulators = await startSimulators(database.url);
  process.env.UNISOR_SECRET = 'a key for nothing but tests';
  process.env.UNISOR_SIMULATORS = simulators.address;
  const size = { scores: 3000, instruments: 100, loans: 60, reports: 20 };
  const places = {
    simulators: simulators.address,
    database: { host: '127.0.0.1', port: database.port },
  };
  await loadDemo(db, () => {}, size, places);
  await endDatabase(db);
  const port = await freePort();
  const server = await startServer({ url: database.url, port, log: 'warn' });
  process.env.UNISOR_ADDRESS = server.address;
  process.env.UNISOR_TEST_DATABASE = JSON.stringify({
    folder,
    pid: database.pid,
    port: database.port,
  });
  return async () => {
    await server.stop();
    await simulators.stop();
    await database.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  };
}
