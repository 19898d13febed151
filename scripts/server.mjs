// The built server as a child process on 127.0.0.1.
import { spawn } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import fs from 'node:fs';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { root } from './install.mjs';

/** On a busy machine, with others starting beside it, a server takes its time. */
const startBound = 120_000;

/** Starts the built server, or its sources (`dev`), and waits until it answers. Gives `{ address, stop(), exited }`. */
export async function startServer({
  url,
  port,
  schema = 'unisor',
  log = 'info',
  output = 'inherit',
  dev = false,
  env = {},
}) {
  const address = `http://127.0.0.1:${port}`;
  const served = dev
    ? [bin('vite'), 'dev', '--host', '127.0.0.1', '--port', String(port), '--strictPort']
    : [path.join(root, 'scripts', 'serve.mjs')];
  const child = spawn(process.execPath, served, {
    cwd: root,
    // Its own process group, so that Ctrl+C in the terminal reaches it through us only.
    detached: true,
    stdio: ['ignore', output, output],
    env: {
      ...process.env,
      HOST: '127.0.0.1',
      PORT: String(port),
      ORIGIN: address,
      UNISOR_ORIGINS: `${address},http://localhost:${port}`,
      // The routes bound their bodies themselves; files are streamed.
      BODY_SIZE_LIMIT: 'Infinity',
      SHUTDOWN_TIMEOUT: '10',
      UNISOR_DATABASE_URL: url,
      UNISOR_SCHEMA: schema,
      UNISOR_LOG: log,
      ...env,
    },
  });
  const exited = new Promise((done) => child.once('exit', done));
  const stop = async (signal = 'SIGTERM') => {
    if (child.exitCode === null && child.signalCode === null) {
      child.kill(signal);
      await exited;
    }
  };
  const end = Date.now() + startBound;
  while (Date.now() < end) {
    if (child.exitCode !== null) throw new Error('The server ended while starting.');
    if (await answers(`${address}/api/health`)) return { address, pid: child.pid, stop, exited };
    await sleep(100);
  }
  await stop();
  throw new Error(`The server did not answer within ${startBound / 1000} s.`);
}

/** What the server is told of the simulators. */
export function simulated({ address, mail }) {
  return { UNISOR_MAIL_URL: mail, ...simulatedOrganisation(address) };
}

/** The product and the simulated sign-in of the organisation know one another by it. */
const organisationSecret = 'shared by the demo and its simulator';

/** What the server is told of the organisation's sign-in that is simulated at an address. */
function simulatedOrganisation(address) {
  return {
    UNISOR_OIDC_ISSUER: `${address}/identity`,
    UNISOR_OIDC_SECRET: organisationSecret,
    UNISOR_OIDC_TITLE: 'Corranmoor Council',
  };
}

/**
 * Starts the simulators of outside systems, one of them in a database, as a child process, on ports of
 * their own. Gives `{ address, ports, stop() }`; the same ports again where they are given.
 */
export async function startSimulators(url, { ports = [0, 0], dev = false } = {}) {
  const run = [path.join(root, 'demo', 'simulators.ts'), ...ports.map(String)];
  const child = spawn(bin('tsx'), dev ? ['watch', '--clear-screen=false', ...run] : run, {
    cwd: root,
    detached: true,
    stdio: ['ignore', 'pipe', 'inherit'],
    env: { ...process.env, UNISOR_DATABASE_URL: url, UNISOR_OIDC_SECRET: organisationSecret },
  });
  const exited = new Promise((done) => child.once('exit', done));
  const { address, mail } = await new Promise((done, fail) => {
    let text = '';
    child.stdout.on('data', (chunk) => {
      text += chunk;
      const [, at] = /are at (\S+)\n/.exec(text) ?? [];
      const [, mail] = /E-mail is taken at (\S+)\n/.exec(text) ?? [];
      if (at) done({ address: at, mail });
    });
    void exited.then(() => fail(new Error('The simulators ended while starting.')));
  });
  const stop = async () => {
    if (child.exitCode === null && child.signalCode === null) {
      child.kill('SIGTERM');
      await exited;
    }
  };
  const own = [address, mail].map((at) => Number(new URL(at).port));
  return { address, mail, ports: own, stop, exited };
}

/** The key with which secrets are encrypted: kept beside the data, made at the first start. */
export function keptSecret(folder) {
  const file = path.join(folder, 'secret');
  if (!fs.existsSync(file)) {
    fs.mkdirSync(folder, { recursive: true });
    fs.writeFileSync(file, randomBytes(32).toString('base64url'), { mode: 0o600 });
  }
  return fs.readFileSync(file, 'utf8').trim();
}

/** The program of a package. */
function bin(name) {
  return path.join(root, 'node_modules', '.bin', name);
}

async function answers(address) {
  try {
    return (await fetch(address, { signal: AbortSignal.timeout(2000) })).ok;
  } catch {
    return false;
  }
}
