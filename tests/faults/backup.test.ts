import { spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { startMariadb, type OwnMariadb } from '../../scripts/mariadb.mjs';
import { root } from '../../scripts/install.mjs';
import { endDatabase, openDatabase, type Database } from '../../src/server/database/connection';
import { migrate } from '../../src/server/database/migrate';
import { backUp, lastBackups } from '../../src/server/keeping/backups';
import { restoreBackup } from '../../src/server/keeping/restore';
import { writtenIn } from '../support/written';
import { makeLending } from '../support/house';

let folder: string;
let database: OwnMariadb;
let db: Database;
const at = (name: string) => path.join(folder, name);
/** So many backups are killed; more in the long run. */
const rounds = process.env.UNISOR_FAULTS === undefined ? 1 : 12;

beforeAll(async () => {
  folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-broken-'));
  database = await startMariadb(folder);
  db = openDatabase(database.url);
  await migrate(db, database.url);
  await makeLending(db);
}, 90_000);

afterAll(async () => {
  await endDatabase(db);
  await database.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

const schemas = async () => {
  const [rows] = await db.knex.raw("show databases like 'unisor%'");
  return (rows as Record<string, string>[]).flatMap((row) => Object.values(row)).sort();
};
const written = () => writtenIn(db);

describe('K5 a backup that is cut off', () => {
  it('by a full disk: says so, leaves what stood there, and the next one is good', async ({
    skip,
  }) => {
    const disk = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-disk-'));
    const small = spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=24k', 'tmpfs', disk]).status === 0;
    try {
      // As another user than root nothing may be mounted.
      if (!small) return skip();
      const file = path.join(disk, 'house.zip');
      fs.writeFileSync(file, 'the one before');
      const failed = backUp(db, database.url, { file, check: false });
      await expect(failed).rejects.toThrow(/not enough room/);
      expect(fs.readdirSync(disk)).toEqual(['house.zip']);
      expect(fs.readFileSync(file, 'utf8')).toBe('the one before');
      const [last] = await lastBackups(db, 1);
      expect(last).toMatchObject({
        state: 'failed',
        reason: expect.stringMatching(/not enough room/),
      });
    } finally {
      if (small) spawnSync('umount', ['-l', disk]);
      fs.rmSync(disk, { recursive: true, force: true });
    }
    const made = await backUp(db, database.url, { file: at('after.zip'), check: true });
    expect(made.tables?.length).toBeGreaterThan(20);
  });

  it('by the end of its program, at any moment: there is a whole file or none, and the next one is good', async () => {
    const before = await written();
    for (let round = 0; round < rounds; round++) {
      const file = at(`killed-${round}.zip`);
      const options = JSON.stringify({ 'no-check': false, replace: false });
      const child = spawn(
        'npx',
        ['tsx', 'src/server/keeping/command.ts', 'backup', file, options],
        {
          cwd: root,
          detached: true,
          stdio: 'ignore',
          env: { ...process.env, UNISOR_DATABASE_URL: database.url, UNISOR_LOG: 'silent' },
        },
      );
      const ended = once(child, 'exit');
      // Its parts show that it has begun.
      await expect
        .poll(() => fs.readdirSync(folder).some((name) => name.startsWith(`killed-${round}`)), {
          timeout: 30_000,
          interval: 10,
        })
        .toBe(true);
      await sleep(Math.random() * 1200);
      // It may have come to its end by then.
      if (child.exitCode === null) process.kill(-(child.pid ?? 0), 'SIGKILL');
      await ended;
      if (fs.existsSync(file)) {
        await restoreBackup(db, database.url, { file, replace: true });
        expect(await written()).toEqual(before);
      }
      // Who comes next waits until nobody holds it any more, and clears away what was left.
      await backUp(db, database.url, { file, check: true });
      expect(fs.readdirSync(folder).filter((name) => name.includes('.part'))).toEqual([]);
      expect(await schemas()).toEqual(['unisor', 'unisor_records']);
    }
    await restoreBackup(db, database.url, { file: at('killed-0.zip'), replace: true });
    expect(await written()).toEqual(before);
  }, 300_000);
});
