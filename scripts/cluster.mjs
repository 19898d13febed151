// A cluster to try out: three database nodes, haproxy, three processes and the demo, all on this machine. What is
// killed is started again. On machines of their own the same files serve: see deploy/README.md.
import fs from 'node:fs';
import path from 'node:path';
import { clusteredHouse } from './clustered.mjs';
import { ensureBuild, ensureCluster, ensurePackages, root, run, step, stop } from './install.mjs';
import { isFree } from './mariadb.mjs';
import { keptSecret, simulated, startSimulators } from './server.mjs';
import { readOptions } from './options.mjs';
import { supervise } from './supervise.mjs';

const usage = `npm run cluster -- [--port N] [--empty] [--reset] [--data DIR]

  --port N    listen on this port of 127.0.0.1 (4180)
  --empty     do not load the demo
  --reset     throw the data folder away first
  --data DIR  keep the data there (.unisor/cluster)`;

const options = readOptions(usage, {
  port: { type: 'string', default: '4180' },
  data: { type: 'string', default: path.join('.unisor', 'cluster') },
  empty: { type: 'boolean', default: false },
  reset: { type: 'boolean', default: false },
});
const data = path.resolve(root, options.data);
const port = Number(options.port);
if (!(await isFree(port))) stop(`Port ${port} is in use by another program.\n\n${usage}`);
ensureCluster();
await step(ensurePackages);
await step(ensureBuild);
if (options.reset) fs.rmSync(data, { recursive: true, force: true });
fs.mkdirSync(data, { recursive: true });

let stopping = false;
const parts = [];
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => void shutDown(0));

console.log('Three database nodes are starting, each with a copy of the one before …');
const house = await clusteredHouse(data, { port, output: 'inherit' });
parts.push(house.cluster);
let watching;
try {
  await house.cluster.start();
  parts.push(await supervise('haproxy', house.balance));
  watching = house.cluster.keepGoing((line) => console.error(line));
  let ports;
  const simulators = options.empty
    ? null
    : await supervise('What simulates outside systems', async () => {
        const started = await startSimulators(house.simulatorsUrl, { ports });
        ports = started.ports;
        return started;
      });
  if (simulators) parts.push(simulators);
  const outside = simulators ? { UNISOR_SIMULATORS: simulators.part().address } : {};
  const load = ['tsx', 'demo/load.ts', ...(options.empty ? ['--empty'] : [])];
  const secret = { UNISOR_SECRET: keptSecret(data) };
  run('npx', load, {
    UNISOR_DATABASE_URL: house.simulatorsUrl,
    UNISOR_LOG: 'warn',
    ...secret,
    ...outside,
  });
  const env = {
    UNISOR_DEMO: options.empty ? '' : '1',
    ...(simulators ? simulated(simulators.part()) : {}),
  };
  for (const i of house.processes) {
    parts.push(await supervise(`Process ${i + 1}`, () => house.serve(i, env)));
  }
} catch (error) {
  console.error(error.message);
  await shutDown(1);
}
// Told to stop meanwhile: that goes on to its end.
if (stopping) await new Promise(() => {});
console.log(`\nUnisor is at ${house.address}  (Ctrl+C stops it)`);
for (const [i, { name, port: at }] of house.cluster.plan.nodes.entries()) {
  console.log(`  ${name}: 127.0.0.1:${at}, process ${house.cluster.pidOf(i)}`);
}
await watching;

/** Stops everything, the databases last. */
async function shutDown(status) {
  if (stopping) return;
  stopping = true;
  if (status === 0) console.log('\nStopping …');
  for (const part of parts.reverse()) await part.stop();
  process.exit(status);
}
