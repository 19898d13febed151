// haproxy on loopback, with deploy/haproxy.cfg: before the processes, and between them and the database nodes.
import { spawn, spawnSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import { root } from './install.mjs';
import { nodeCheck } from './galera.mjs';
import { binary, greets } from './mariadb.mjs';

/**
 * Starts haproxy for three database nodes and three processes, each given by its port. `people` is the port on which
 * people reach the product, `database` that on which the processes reach the written node.
 */
export async function startBalancer(folder, { people, database, nodes, processes }) {
  const at = (port) => `127.0.0.1:${port}`;
  const env = {
    ...process.env,
    UNISOR_BIND: at(people),
    UNISOR_HOST: at(people),
    UNISOR_DATABASE_BIND: at(database),
    UNISOR_NODE_CHECK: nodeCheck,
    ...numbered('UNISOR_NODE', nodes.map(at)),
    ...numbered('UNISOR_PROCESS', processes.map(at)),
  };
  const settings = path.join(root, 'deploy', 'haproxy.cfg');
  const program = binary('haproxy');
  const checked = spawnSync(program, ['-c', '-q', '-f', settings], { env, encoding: 'utf8' });
  if (checked.status !== 0) throw new Error(`haproxy refuses its settings:\n${checked.stderr}`);
  const log = path.join(folder, 'haproxy.log');
  const out = fs.openSync(log, 'a');
  const words = ['-db', '-f', settings];
  const child = spawn(program, words, { detached: true, stdio: ['ignore', out, out], env });
  fs.closeSync(out);
  const exited = new Promise((done) => child.once('exit', done));
  const stop = async (signal = 'SIGTERM') => {
    if (child.exitCode === null && child.signalCode === null) {
      child.kill(signal);
      await exited;
    }
  };
  // It lets the greeting of a node through as soon as it has found one that is ready.
  if (!(await greets(database, 120_000))) {
    await stop();
    throw new Error(`haproxy found no node that is ready; see ${log}.`);
  }
  return { pid: child.pid, exited, stop };
}

function numbered(name, list) {
  return Object.fromEntries(list.map((value, i) => [`${name}_${i + 1}`, value]));
}
