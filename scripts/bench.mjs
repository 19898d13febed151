// `npm run bench` runs all benchmarks, `npm run bench -- NAME` one; starts and stops what they need.
// `npm run bench -- --large` runs those whose table is large, on the large demo.
import { spawnSync } from 'node:child_process';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { ensureBuild, ensureMariadb, ensurePackages, root, run, step } from './install.mjs';
import { fittingDatabase, freePort, startMariadb } from './mariadb.mjs';
import { startServer, startSimulators } from './server.mjs';

const large = process.argv.includes('--large');
const named = process.argv.slice(2).filter((word) => !word.startsWith('-'));

ensureMariadb();
await step(ensurePackages);
await step(ensureBuild);
const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-bench-'));
const database = await startMariadb(folder, { fits: fittingDatabase() });
// Secrets of connections need a key, also where there are none to speak of.
process.env.UNISOR_SECRET ??= 'a key for nothing but benchmarks';
let server = null;
let simulators = null;
let status;
try {
  console.log('Loading the demo …');
  simulators = await startSimulators(database.url);
  run('npx', ['tsx', 'demo/load.ts', ...(large ? ['--large'] : [])], {
    UNISOR_DATABASE_URL: database.url,
    UNISOR_SIMULATORS: simulators.address,
    UNISOR_LOG: 'warn',
  });
  server = await startServer({ url: database.url, port: await freePort(), log: 'warn' });
  const done = spawnSync('npx', ['tsx', 'bench/run.ts', ...named], {
    cwd: root,
    stdio: 'inherit',
    env: {
      ...process.env,
      UNISOR_DATABASE_URL: database.url,
      UNISOR_ADDRESS: server.address,
      UNISOR_BENCH_LARGE: large ? '1' : '',
    },
  });
  status = done.status ?? 1;
} finally {
  await server?.stop();
  await simulators?.stop();
  await database.stop();
  fs.rmSync(folder, { recursive: true, force: true });
}
process.exit(status);
