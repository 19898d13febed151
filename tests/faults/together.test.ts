import { randomUUID } from 'node:crypto';
import net from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freePort, startMariadb } from '../../scripts/mariadb.mjs';
import { startServer, type OwnServer } from '../../scripts/server.mjs';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { keepConnection } from '../../src/server/outside/connections';
import { allowHosts } from '../../src/server/outside/hosts';
import { finishStructureChanges, removeCutOff } from '../../src/server/database/structure';
import { addRecord } from '../../src/server/records/write';
import { column, table } from '../support/definitions';
import { makeLending } from '../support/house';
import { storePlans } from '../support/lending';
import { keeperCookie } from '../support/keeper';
import { ownHouse, send, type OwnHouse } from '../support/own-server';
import { expectDefinitionsReal, expectReplayed } from '../support/replay';

/**
 * Seconds for which everything is done at once; `UNISOR_FAULTS=1200` for the long run, in which the database
 * is killed, too.
 */
const seconds = Number(process.env.UNISOR_FAULTS ?? 10);
const long = process.env.UNISOR_FAULTS !== undefined;
const clerks = long ? 50 : 8;

let house: OwnHouse;
let database: OwnHouse['database'];
const ports: number[] = [];
const servers: ((OwnServer & { cookie: string }) | null)[] = [];
let cookie: string;
const scores: number[] = [];
let hanging: net.Server;
let done = false;
const statuses = new Map<string, number>();
const acknowledged = new Map<string, string>();
const receipts: string[] = [];

beforeAll(async () => {
  house = await ownHouse('together');
  database = house.database;
  await makeLending(house.db);
  await makeTable(house.db, table('side', [column('name')]), 'test');
  // A system that takes what it is told and never answers: nobody waits for it.
  hanging = net.createServer((socket) => void socket.on('error', () => undefined));
  await new Promise<void>((listens) => hanging.listen(0, '127.0.0.1', listens));
  const host = `127.0.0.1:${(hanging.address() as net.AddressInfo).port}`;
  await allowHosts(house.db, [host]);
  const reach = {
    kind: 'http' as const,
    base: `http://${host}`,
    headers: [],
    signIn: 'none' as const,
  };
  const system = { key: 'hanging', title: 'Hanging', note: '', reach: { ...reach, user: '' } };
  await keepConnection(house.db, system, undefined, 'test', 'make');
  const plans = storePlans();
  const told = { address: 'notes', when: null, values: { what: 'quantity' } };
  const sends = [{ connection: 'hanging', on: 'new' as const, method: 'POST' as const, ...told }];
  for (const [key, plan] of Object.entries({ ...plans, receive: { ...plans.receive, sends } })) {
    await makeForm(house.db, { table: plan.table, key, plan }, 'test');
    await publishForm(house.db, key, 1, 'test');
  }
  const tables = await loadTables(house.db);
  for (let i = 0; i < 5; i++) {
    const name = `Score ${i}`;
    const made = await addRecord(
      house.db,
      tables,
      tableFrom(tables, 'score'),
      { code: `T-${i}`, name },
      'test',
    );
    scores.push(made.id);
  }
  cookie = await keeperCookie(house.db);
  for (let i = 0; i < 2; i++) ports.push(await freePort());
  for (const at of ports.keys()) await start(at);
}, 120_000);

afterAll(async () => {
  done = true;
  await Promise.all(servers.map((server) => server?.stop()));
  hanging.close();
  await house.end();
  if (database !== house.database) await database.stop();
});

async function start(at: number): Promise<void> {
  const options = {
    url: database.url,
    port: ports[at] ?? 0,
    log: 'silent',
    output: 'ignore' as const,
  };
  servers[at] = { ...(await startServer(options)), cookie };
}

const pick = <T>(list: readonly T[]): T | undefined =>
  list[Math.floor(Math.random() * list.length)];

/** Sends to one of the servers; `null` where it is not there. What it answers is counted. */
async function tell(what: string, method: string, path: string, body?: unknown): Promise<unknown> {
  const server = pick(servers);
  if (!server) return sleep(20, null);
  try {
    const signal = AbortSignal.timeout(15_000);
    const response = await send(server, method, path, body, { signal });
    const text = await response.text();
    const name = `${what} ${response.status}`;
    statuses.set(name, (statuses.get(name) ?? 0) + 1);
    if (response.status >= 500 && response.status !== 503) failures.push(`${name}: ${text}`);
    const said = text.includes('"status":500');
    if (said) failures.push(`${name}: ${text}`);
    return response.ok
      ? text === ''
        ? {}
        : JSON.parse(text.trim().split('\n').at(-1) ?? '')
      : null;
  } catch {
    return sleep(20, null);
  }
}
const failures: string[] = [];

/** Receives copies and lends them, and now and then takes a save back. */
async function clerk(): Promise<void> {
  while (!done) {
    const submission = randomUUID();
    const score = pick(scores);
    const receives = Math.random() < 0.3;
    const values = receives
      ? { score, kind: 'received', quantity: 1 + Math.floor(Math.random() * 5) }
      : { score, copies: 1 + Math.floor(Math.random() * 3), weeks: 2 };
    const form = receives ? 'receive' : 'lend';
    const body = { submission, edition: 1, values };
    // A clerk whose server was killed sends the same again.
    for (let tries = 0; tries < 4 && !done; tries++) {
      const answer = (await tell('save', 'POST', `/api/forms/${form}/entries`, body)) as {
        receipt?: { submission: string };
      } | null;
      if (!answer?.receipt) continue;
      acknowledged.set(submission, form);
      receipts.push(submission);
      break;
    }
    const undone = Math.random() < 0.15 ? receipts.splice(receipts.length >> 1, 1)[0] : undefined;
    if (undone) await tell('undo', 'POST', `/api/saves/${undone}/undo`);
    await sleep(long ? 1500 * Math.random() : 30 * Math.random());
  }
}

async function designer(name: string): Promise<void> {
  for (let i = 0; !done; i++) {
    const key = `${name}_${i}`;
    const type = { kind: 'text', format: 'plain', length: 50 };
    const made = { key, label: key, type, required: false, unique: false };
    await tell('column', 'POST', '/api/tables/side/columns', made);
    await tell('label', 'PATCH', '/api/tables/side', { labels: { name: `Name ${key}` } });
    if (i % 3 === 2) await tell('drop', 'DELETE', `/api/tables/side/columns/${name}_${i - 1}`);
    await sleep(long ? 4000 : 150);
  }
}

async function importer(name: string): Promise<void> {
  for (let i = 0; !done; i++) {
    const key = `${name}${i}`;
    const own = {
      ...{ key: 'name', label: 'Name', source: 0, match: null, required: false, unique: false },
      type: { kind: 'text', format: 'plain', length: 99 },
      reading: { decimal: '.', dates: 'ymd' },
    };
    const target = { kind: 'new', key, title: key, display: ['name'] };
    const definition = { target, columns: [own], delimiter: ',', cells: 1 };
    const opened = (await tell('import', 'POST', '/api/imports', definition)) as {
      id?: string;
    } | null;
    if (opened?.id) {
      await tell('file', 'PUT', `/api/imports/${opened.id}/file`, `name\n${'x\n'.repeat(3000)}`);
    }
    await sleep(long ? 3000 : 200);
  }
}

async function killer(): Promise<void> {
  for (let n = 1; !done; n++) {
    await sleep(long ? 60_000 * Math.random() : 1500 + 1000 * Math.random());
    if (done) return;
    const at = n % ports.length;
    const killed = servers[at];
    servers[at] = null;
    await killed?.stop('SIGKILL');
    if (long && n % 3 === 0) {
      process.kill(database.pid, 'SIGKILL');
      await database.exited;
      database = await startMariadb(house.folder, { port: database.port });
    }
    await start(at).catch(() => start(at));
  }
}

describe(`everything at once, on two servers, with kills (${seconds} s)`, () => {
  it(
    'leaves tables, journal and definitions saying the same',
    async () => {
      const end = Date.now() + seconds * 1000;
      const working = [
        ...Array.from({ length: clerks }, clerk),
        ...['a', 'b'].map(designer),
        ...['imp_a', 'imp_b'].map(importer),
        killer(),
      ];
      while (Date.now() < end) await sleep(200);
      done = true;
      await Promise.all(working);
      await Promise.all(servers.map((server) => server?.stop()));
      // Nobody is left: what a killed one still holds will not be given back by itself.
      const { db } = house;
      await db.knex('lease').withSchema(db.catalog).update({ held_until: '2001-01-01' });
      await finishStructureChanges(db);
      await removeCutOff(db);

      expect(failures).toEqual([]);
      expect(acknowledged.size, JSON.stringify([...statuses])).toBeGreaterThan(seconds);
      const kept = await expectReplayed(db, ['loan', 'copy_movement', 'score', 'ensemble']);
      expect(kept).toBeGreaterThan(acknowledged.size / 2);
      expect(await expectDefinitionsReal(db)).toBeGreaterThan(7);
      // Each acknowledged save stands in the journal once.
      const noted = (await db
        .knex('journal')
        .withSchema(db.catalog)
        .where({ kind: 'entry' })
        .whereNotNull('submission')
        .pluck('submission')) as string[];
      const once = new Set(noted);
      expect(once.size).toBe(noted.length);
      for (const submission of acknowledged.keys()) expect(once.has(submission)).toBe(true);
      // No score has ever lent what it had not, whatever was taken back.
      const [stock] = await db.knex.raw(
        `select score, sum(if(kind = 'received', quantity, -quantity)) as n from ??.copy_movement group by score having n < 0`,
        [db.records],
      );
      expect(stock).toEqual([]);
      console.log(
        [...statuses]
          .sort()
          .map(([name, n]) => `${name}: ${n}`)
          .join(', '),
      );
    },
    seconds * 1000 + 180_000,
  );
});
