import { spawnSync } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { afterAll, describe, expect, it } from 'vitest';
import { freePort, startMariadb, type OwnMariadb } from '../../scripts/mariadb.mjs';
import { startServer, type OwnServer } from '../../scripts/server.mjs';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { makeTable } from '../../src/server/catalog/tables';
import { endDatabase, openDatabase } from '../../src/server/database/connection';
import { migrate } from '../../src/server/database/migrate';
import { column, field, planOf, table } from '../support/definitions';
import { keeperCookie } from '../support/keeper';
import { send } from '../support/own-server';

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-full-'));
/** A small disk of its own, where one may be made: as another user than root it is not. */
const disk = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-disk-'));
const mounted = spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=520m', 'tmpfs', disk]).status === 0;

// Where nothing may be mounted no test runs, and nothing behind them either: nothing is left here.
if (!mounted) for (const made of [disk, folder]) fs.rmSync(made, { recursive: true, force: true });

let database: OwnMariadb | null = null;
let server: OwnServer | null = null;

afterAll(async () => {
  await server?.stop();
  await database?.stop();
  if (mounted) spawnSync('umount', ['-l', disk]);
  for (const made of [disk, folder]) fs.rmSync(made, { recursive: true, force: true });
});

const plan = planOf('diary', [field('entry', { savesTo: 'entry' })]);

describe('a disk that is full', () => {
  it.skipIf(!mounted)(
    'refuses saves with a sentence, answers reads, and goes on by itself when there is room',
    async () => {
      // The data alone stand on the small disk, made elsewhere first.
      await (await startMariadb(folder)).stop();
      const data = path.join(folder, 'mariadb');
      fs.cpSync(data, disk, { recursive: true });
      fs.rmSync(data, { recursive: true });
      fs.symlinkSync(disk, data);
      database = await startMariadb(folder);
      const db = openDatabase(database.url);
      await migrate(db, database.url);
      await makeTable(db, table('diary', [column('entry', { type: { kind: 'long_text' } })]), 'x');
      await makeForm(db, { table: 'diary', key: 'diary', plan }, 'test');
      await publishForm(db, 'diary', 1, 'test');
      const cookie = await keeperCookie(db);
      await endDatabase(db);
      server = await startServer({
        ...{ url: database.url, port: await freePort(), log: 'silent', output: 'ignore' as const },
      });
      const running = { ...server, cookie };
      const save = (size = 60_000) =>
        send(running, 'POST', '/api/forms/diary/entries', {
          ...{ submission: randomUUID(), edition: 1, values: { entry: 'x'.repeat(size) } },
        });
      expect((await save()).status).toBe(201);

      const filler = path.join(disk, 'filler');
      fill(filler);
      // It is looked at a few times a second how much room there is.
      await sleep(200);
      const refused = await untilRefused(save);
      expect(refused.status).toBe(503);
      const { problems } = (await refused.json()) as {
        problems: { code: string; message: string }[];
      };
      expect(problems[0]?.code).toBe('disk_full');
      const read = await send(running, 'GET', '/api/tables/diary/records');
      expect(read.status).toBe(200);

      fs.rmSync(filler);
      await expect.poll(async () => (await save()).status, { timeout: 30_000 }).toBe(201);
      const { status } = await fetch(`${running.address}/api/health`);
      expect(status).toBe(200);
    },
    120_000,
  );
});

/** Fills what is left of the disk with nothing. */
function fill(file: string): void {
  const out = fs.openSync(file, 'w');
  try {
    for (const size of [1 << 20, 1 << 14, 1 << 12]) {
      const nothing = Buffer.alloc(size);
      for (;;) {
        try {
          fs.writeSync(out, nothing);
        } catch {
          break;
        }
      }
    }
  } finally {
    fs.closeSync(out);
  }
}

async function untilRefused(save: () => Promise<Response>): Promise<Response> {
  for (let i = 0; i < 1500; i++) {
    const answer = await save();
    if (answer.status !== 201) return answer;
  }
  return expect.fail('was never full');
}
