import { spawn } from 'node:child_process';
import { once } from 'node:events';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { createConnection } from 'mysql2/promise';
import { afterAll, describe, expect, it } from 'vitest';
import { fittingDatabase, livesWith, readRun, startMariadb } from '../../scripts/mariadb.mjs';

const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-local-'));
afterAll(() => fs.rmSync(folder, { recursive: true, force: true }));

async function ask(url: string, sql: string): Promise<unknown> {
  const connection = await createConnection({ uri: url });
  try {
    return (await connection.query(sql))[0];
  } finally {
    await connection.end();
  }
}

/** Another process that starts the database on the folder and is killed when it runs. */
async function killedRun(): Promise<void> {
  const script = `import { startMariadb } from ${JSON.stringify(path.resolve('scripts/mariadb.mjs'))};
    const run = await startMariadb(${JSON.stringify(folder)}); console.log(run.url); setInterval(() => {}, 1e6);`;
  const child = spawn(process.execPath, ['--input-type=module', '-e', script]);
  await once(child.stdout, 'data');
  child.kill('SIGKILL');
  await once(child, 'exit');
}

describe('a database of our own in a folder', () => {
  it('takes of the memory what fits the machine', () => {
    const gb = 2 ** 30;
    const small = fittingDatabase(gb, gb / 4);
    expect(small).toEqual({ pool: 256, log: 96 });
    const usual = fittingDatabase(16 * gb, 12 * gb);
    expect(usual.pool).toBeGreaterThan(5000);
    expect(usual.pool).toBeLessThan(0.6 * 12 * 1024);
    expect(fittingDatabase(16 * gb, 2 * gb).pool).toBeLessThan(0.6 * 2048 + 1);
    expect(fittingDatabase(1024 * gb, 1000 * gb)).toEqual({ pool: 16_384, log: 2048 });
  });

  it('keeps its data over a stop, and is reached with a password only', async () => {
    const first = await startMariadb(folder);
    await ask(first.url, 'create database kept');
    await ask(first.url, 'create table kept.t (n int)');
    await ask(first.url, 'insert into kept.t values (42)');
    await expect(ask(first.url.replace(/:[0-9a-f]{48}@/, ':wrong@'), 'select 1')).rejects.toThrow(
      /Access denied/,
    );
    await first.stop();
    const second = await startMariadb(folder);
    expect(await ask(second.url, 'select n from kept.t')).toEqual([{ n: 42 }]);
    await second.stop();
    expect(fs.existsSync(path.join(folder, 'run.json'))).toBe(false);
  });

  it('takes nothing away from another database that is sorting on the same machine', async () => {
    // So another one calls what it sorts outside its memory.
    const theirs = path.join(os.tmpdir(), `#sql-temptable-${process.pid}-1-1.MAI`);
    fs.writeFileSync(theirs, '');
    try {
      const run = await startMariadb(folder);
      await run.stop();
      expect(fs.existsSync(theirs)).toBe(true);
    } finally {
      fs.rmSync(theirs, { force: true });
    }
  });

  it('clears up after a killed run and loses nothing', async () => {
    await killedRun();
    const orphan = readRun(folder).database as number;
    expect(livesWith(orphan, folder)).toBe(true);
    const next = await startMariadb(folder);
    expect(livesWith(orphan, folder)).toBe(false);
    expect(await ask(next.url, 'select n from kept.t')).toEqual([{ n: 42 }]);
    process.kill(next.pid, 'SIGKILL');
    await next.exited;
    const recovered = await startMariadb(folder);
    expect(await ask(recovered.url, 'select n from kept.t')).toEqual([{ n: 42 }]);
    await recovered.stop();
  });

  it('leaves data alone that a living run uses', async () => {
    const run = await startMariadb(folder);
    const living = spawn(process.execPath, ['-e', 'setInterval(() => {}, 1e6)']);
    fs.writeFileSync(
      path.join(folder, 'run.json'),
      JSON.stringify({ database: run.pid, owner: living.pid }),
    );
    await expect(startMariadb(folder)).rejects.toThrow(/in use by another run of Unisor/);
    living.kill();
    await run.stop();
  });
});
