import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { freePort, startMariadb } from '../../scripts/mariadb.mjs';
import { simulated, startServer, startSimulators } from '../../scripts/server.mjs';
import { loadDemo } from '../../demo/load';
import { endDatabase, openDatabase } from '../../src/server/database/connection';
import { keeperCookie } from './keeper';
import { migrate } from '../../src/server/database/migrate';

/** Where it stands who has signed in; every context begins with it. */
export const signedInState = 'test-results/signed-in.json';

function noteState(cookie: string): void {
  const [name = '', value = ''] = cookie.split('=');
  const more = { domain: '127.0.0.1', path: '/', expires: -1, httpOnly: true, secure: false };
  const cookies = [{ name, value, ...more, sameSite: 'Lax' }];
  fs.mkdirSync(path.dirname(signedInState), { recursive: true });
  fs.writeFileSync(signedInState, JSON.stringify({ cookies, origins: [] }));
}

/** A MariaDB with a small demo, and the built server on it; both stopped afterwards. */
export default async function setup(): Promise<() => Promise<void>> {
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-journey-'));
  const database = await startMariadb(folder);
  const db = openDatabase(database.url);
  await migrate(db, database.url);
  const simulators = await startSimulators(database.url);
  process.env.UNISOR_SECRET = 'a key for nothing but tests';
  process.env.UNISOR_SIMULATORS = simulators.address;
  const size = { scores: 3000, instruments: 100, loans: 60, reports: 20, sheets: 20 };
  const places = {
    simulators: simulators.address,
    database: { host: '127.0.0.1', port: database.port },
  };
  await loadDemo(db, () => {}, size, places);
  // Journeys are walked by the keeper, unless they sign in as somebody else.
  const cookie = await keeperCookie(db, 'Ottilie Marrable');
  await endDatabase(db);
  const port = await freePort();
  const env = {
    ...{ UNISOR_DEMO: '1', UNISOR_SETUP_CODE: 'a code for journeys' },
    ...simulated(simulators),
  };
  const server = await startServer({ url: database.url, port, log: 'warn', env });
  noteState(cookie);
  process.env.UNISOR_ADDRESS = server.address;
  return async () => {
    await server.stop();
    await simulators.stop();
    await database.stop();
    fs.rmSync(folder, { recursive: true, force: true });
  };
}
