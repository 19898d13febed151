import { demoMembers } from '../../demo/members';
import { randomUUID } from 'node:crypto';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freePort, startMariadb, type OwnMariadb } from '../../scripts/mariadb.mjs';
import { startServer, type OwnServer } from '../../scripts/server.mjs';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { makeTable } from '../../src/server/catalog/tables';
import { endDatabase, openDatabase, type Database } from '../../src/server/database/connection';
import { migrate } from '../../src/server/database/migrate';
import { keepConnection } from '../../src/server/outside/connections';
import { allowHosts } from '../../src/server/outside/hosts';
import { countSends } from '../../src/server/outside/outbox';
import { serveSystems, type Simulators } from '../../simulators/server';
import { memberRegister } from '../../simulators/systems';
import { column, field, planOf, table } from '../support/definitions';
import { keeperCookie } from '../support/keeper';

/** How much is sent; `UNISOR_SENDS=1000` for the long run, with a kill for each thirty. */
const wanted = Number(process.env.UNISOR_SENDS ?? 90);
const kills = Math.ceil(wanted / 30);

let folder: string;
let database: OwnMariadb;
let db: Database;
let server: OwnServer | null = null;
let cookie: string;
let simulators: Simulators;

beforeAll(async () => {
  folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-outbox-'));
  database = await startMariadb(folder);
  db = openDatabase(database.url);
  await migrate(db, database.url);
  simulators = await serveSystems([memberRegister(demoMembers())]);
  await allowHosts(db, [new URL(simulators.address).host]);
  const base = `${simulators.address}/register`;
  const reach = { kind: 'http' as const, base, headers: [], signIn: 'none' as const, user: '' };
  const named = { key: 'register', title: 'Register', note: '', reach };
  await keepConnection(db, named, undefined, 'test', 'make');
  await makeTable(db, table('report', [column('what')]), 'test');
  const plan = planOf('report', [field('what', { savesTo: 'what' })]);
  const send = { connection: 'register', on: 'new' as const, when: null, method: 'POST' as const };
  const sends = [{ ...send, address: 'notes', values: { what: 'what' } }];
  await makeForm(db, { table: 'report', key: 'report', plan: { ...plan, sends } }, 'test');
  await publishForm(db, 'report', 1, 'test');
  cookie = await keeperCookie(db);
  server = await start();
}, 60_000);

afterAll(async () => {
  await server?.stop();
  await simulators.stop();
  await endDatabase(db);
  await database.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

async function start(): Promise<OwnServer> {
  const port = await freePort();
  return startServer({ url: database.url, port, log: 'silent', output: 'ignore' });
}

/** Saves until the server has taken it, under one submission. */
async function save(): Promise<string> {
  const submission = randomUUID();
  for (;;) {
    try {
      const response = await fetch(`${server?.address}/api/forms/report/entries`, {
        method: 'POST',
        headers: { cookie, origin: server?.address ?? '', 'content-type': 'application/json' },
        body: JSON.stringify({ submission, edition: 1, values: { what: submission } }),
        signal: AbortSignal.timeout(5000),
      });
      if (response.status === 201) return submission;
    } catch {
      // It was killed; the next one takes the same.
    }
    await sleep(30);
  }
}

describe('H5 the outbox of a server that is killed', () => {
  it(`delivers all of ${wanted}, and none twice, over ${kills} kills`, async () => {
    const register = simulators.systems.get('register')?.state ?? expect.fail('no register');
    // Some answers are lost: the register has taken what the server must send again.
    register.switches = { trouble: 'no answer', slow: 5, share: 15 };
    const saved: string[] = [];
    let killed = 0;
    const clerks = Array.from({ length: 4 }, async () => {
      while (saved.length < wanted) saved.push(await save());
    });
    while (killed < kills) {
      const next = (wanted / (kills + 1)) * (killed + 1);
      while (saved.length < next) await sleep(10);
      await sleep(Math.random() * 200);
      await server?.stop('SIGKILL');
      server = await start();
      killed++;
    }
    await Promise.all(clerks);
    register.switches = { trouble: 'none', slow: 0, share: 100 };
    for (let n = 0; n < 900 && (await countSends(db)).waiting > 0; n++) {
      await sleep(200);
      // What a killed server had begun to send is due when its time is over; it is not waited for here.
      if (n % 25 === 24) {
        await db
          .knex('outbox')
          .withSchema(db.catalog)
          .where({ state: 'waiting' })
          .update({ next_at: db.knex.raw('now(3)') });
      }
    }
    expect(await countSends(db)).toMatchObject({ waiting: 0, failed: 0, sent: saved.length });
    const taken = [...register.written.values()].map((body) => (body as { what: string }).what);
    expect(new Set(taken).size).toBe(taken.length);
    expect(taken.sort()).toEqual([...saved].sort());
  }, 900_000);
});
