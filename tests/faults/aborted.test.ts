import { randomUUID } from 'node:crypto';
import fs from 'node:fs';
import net from 'node:net';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { OwnServer } from '../../scripts/server.mjs';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { makeLending } from '../support/house';
import { linesPlan } from '../support/lending';
import { ownHouse, send, type OwnHouse } from '../support/own-server';

let house: OwnHouse;
let server: OwnServer;
/** A file of the screens that is there when the server starts. */
const file = `/_app/immutable/gone-${randomUUID()}.js`;
const fileOnDisk = path.join('build', 'client', file);

beforeAll(async () => {
  fs.writeFileSync(fileOnDisk, 'export {};');
  house = await ownHouse('aborted');
  await makeLending(house.db);
  const plan = linesPlan();
  await makeForm(house.db, { table: 'loan', key: 'lines', plan }, 'test');
  await publishForm(house.db, 'lines', 1, 'test');
  server = await house.serve();
}, 60_000);

afterAll(async () => {
  fs.rmSync(fileOnDisk, { force: true });
  await house.end();
});

describe('a file of the screens', () => {
  it('that is gone, since another version was built in its place, is not found, and ends nothing', async () => {
    expect((await fetch(server.address + file)).status).toBe(200);
    fs.rmSync(fileOnDisk);
    const answers = await Promise.all([1, 2, 3].map(() => fetch(server.address + file)));
    expect(answers.map(({ status }) => status)).toEqual([404, 404, 404]);
    expect((await fetch(`${server.address}/api/health`)).status).toBe(200);
  });
});

const csv = Buffer.from(`name,kind\n${'some name,some kind\n'.repeat(60_000)}`);

/** At which moment of a request its sender goes. */
type Stage = 'headers' | 'first bytes' | 'half' | 'almost all' | 'all' | 'first answer';
const stages: Stage[] = ['headers', 'first bytes', 'half', 'almost all', 'all', 'first answer'];

/** Sends a request over a bare socket and tears the connection down at some moment. */
async function tornDown(method: string, path: string, body: Buffer, stage: Stage): Promise<void> {
  const { port, host } = new URL(server.address);
  const socket = net.connect(Number(port), '127.0.0.1');
  socket.on('error', () => undefined);
  await new Promise((done) => socket.once('connect', done));
  const head = [
    `${method} ${path} HTTP/1.1`,
    `host: ${host}`,
    `origin: ${server.address}`,
    'content-type: application/json',
    `content-length: ${body.length}`,
    '',
    '',
  ].join('\r\n');
  socket.write(head);
  const share = {
    headers: 0,
    'first bytes': 100,
    half: body.length / 2,
    'almost all': body.length - 1,
  };
  const much = stage === 'all' || stage === 'first answer' ? body.length : share[stage];
  socket.write(body.subarray(0, Math.floor(much)));
  if (stage === 'first answer') await Promise.race([once(socket), sleep(3000)]);
  else await sleep(20 + Math.random() * 60);
  if (Math.random() < 0.5) socket.destroy();
  else socket.resetAndDestroy();
}

const once = (socket: net.Socket) => new Promise((done) => socket.once('data', done));

async function openImport(): Promise<string> {
  const key = `t${randomUUID().replaceAll('-', '').slice(0, 10)}`;
  const column = (name: string, source: number) => ({
    ...{ key: name, label: name, source, match: null, required: false, unique: false },
    type: { kind: 'text', format: 'plain', length: 99 },
    reading: { decimal: '.', dates: 'ymd' },
  });
  const target = { kind: 'new', key, title: key, display: ['name'] };
  const columns = [column('name', 0), column('kind', 1)];
  const opened = await send(server, 'POST', '/api/imports', {
    ...{ target, columns, delimiter: ',', cells: 2 },
  });
  expect(opened.status).toBe(201);
  return ((await opened.json()) as { id: string }).id;
}

describe('a request whose sender goes', () => {
  const entry = () =>
    Buffer.from(
      JSON.stringify({
        submission: randomUUID(),
        edition: 1,
        values: { weeks: 2 },
        rows: { lines: [] },
      }),
    );
  const routes: [string, string, () => Promise<string>, () => Buffer][] = [
    ['POST', 'examine', async () => '/api/imports/examine', () => csv],
    ['PUT', 'file', async () => `/api/imports/${await openImport()}/file`, () => csv],
    ['PUT', 'check', async () => `/api/imports/${await openImport()}/file?check=1`, () => csv],
    ['POST', 'entries', async () => '/api/forms/lines/entries', entry],
    ['PUT', 'entry-draft', async () => '/api/forms/lines/entry-draft', entry],
    ['POST', 'read', async () => '/api/forms/lines/read', entry],
  ];

  for (const [method, name, address, body] of routes) {
    it(`ends nothing but itself, at each stage (${name})`, async () => {
      for (const stage of stages) await tornDown(method, await address(), body(), stage);
      // Many at once, as when a browser with many tabs is closed.
      const path = await address();
      await Promise.all(
        Array.from({ length: 6 }, (_, i) =>
          tornDown(method, path, body(), stages[i % stages.length] ?? 'half'),
        ),
      );
      const health = await fetch(`${server.address}/api/health`);
      expect(health.status).toBe(200);
      expect(() => process.kill(server.pid, 0)).not.toThrow();
    });
  }

  it('leaves no table behind that it has half filled', async () => {
    // What was cut off in the middle is taken back; what had arrived whole may have been brought in.
    await expect
      .poll(
        async () => {
          const [rows] = await house.db.knex.raw(
            `select state from ??.table_def where table_key like 't%' and state = 'loading'`,
            [house.db.catalog],
          );
          return (rows as unknown[]).length;
        },
        { timeout: 20_000 },
      )
      .toBe(0);
    const [made] = await house.db.knex.raw(
      `select table_key from ??.table_def where table_key like 't__________'`,
      [house.db.catalog],
    );
    for (const { table_key } of made as { table_key: string }[]) {
      const [[{ n }]] = await house.db.knex.raw('select count(*) as n from ??.??', [
        house.db.records,
        table_key,
      ]);
      expect(Number(n)).toBe(60_000);
    }
  });
});
