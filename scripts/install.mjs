// What the start and test commands need before anything else: Debian's packages, npm's packages, the build.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import fs from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { chromium } from './chromium.mjs';
import { hasMariadb } from './mariadb.mjs';

export const root = path.dirname(path.dirname(fileURLToPath(import.meta.url)));

/** Ends the program with a sentence. */
export function stop(sentence) {
  console.error(`\n${sentence}`);
  process.exit(1);
}

/** Installs Debian's MariaDB server where it is missing. */
export function ensureMariadb() {
  if (!hasMariadb()) installDebian(['mariadb-server', 'mariadb-client'], hasMariadb);
}

/** Installs what a cluster needs besides: replication between nodes, copies for them, the balancer. */
export function ensureCluster() {
  ensureMariadb();
  const needed = {
    'galera-4': '/usr/lib/galera/libgalera_smm.so',
    'mariadb-backup': '/usr/bin/mariadb-backup',
    socat: '/usr/bin/socat',
    lsof: '/usr/bin/lsof',
    haproxy: '/usr/sbin/haproxy',
    openssl: '/usr/bin/openssl',
  };
  const isThere = () => Object.values(needed).every((file) => fs.existsSync(file));
  if (!isThere()) installDebian(Object.keys(needed), isThere);
}

/** Installs what packs backups where it is missing. */
export function ensureZstd() {
  const isThere = () => fs.existsSync('/usr/bin/zstd');
  if (!isThere()) installDebian(['zstd'], isThere);
}

/** Installs Debian's Chromium where it is missing. */
export function ensureChromium() {
  const isThere = () => fs.existsSync(chromium.executablePath);
  if (!isThere()) installDebian(['chromium'], isThere);
}

/** `npm ci`, unless the installed packages are those of the lock file. */
export function ensurePackages() {
  const stamp = path.join(root, 'node_modules', '.unisor-lock');
  const wanted = hashOf([path.join(root, 'package-lock.json')]);
  if (read(stamp) === wanted) return;
  console.log('Installing packages (npm ci) …');
  run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error']);
  fs.writeFileSync(stamp, wanted);
}

/** `vite build`, unless the build is of the sources as they are. */
export function ensureBuild() {
  const stamp = path.join(root, 'build', '.unisor-sources');
  // What the build itself makes of the catalogs of words is none of them.
  const made = path.join(root, 'src', 'locales', '.wuchale');
  const sources = ['src', 'static']
    .flatMap((folder) => filesBelow(path.join(root, folder)))
    .filter((file) => !file.startsWith(made + path.sep));
  const settings = ['package-lock.json', 'package.json', 'svelte.config.js', 'vite.config.ts'];
  const wanted = hashOf([...sources, ...settings.map((name) => path.join(root, name))]);
  if (read(stamp) === wanted) return;
  console.log('Building …');
  fs.rmSync(path.join(root, 'build'), { recursive: true, force: true });
  run('npx', ['svelte-kit', 'sync']);
  run('npx', ['vite', 'build', '--logLevel', 'warn']);
  fs.writeFileSync(stamp, wanted);
}

/** Runs a command to its end with our terminal; throws where it fails. */
export function run(command, args, env = {}) {
  const done = spawnSync(command, args, {
    cwd: root,
    stdio: 'inherit',
    env: { ...process.env, ...env },
  });
  if (done.status !== 0) throw new Error(`${command} ${args.join(' ')} failed.`);
}

function installDebian(packages, isThere) {
  const install = ['apt-get', 'install', '-y', '--no-install-recommends', ...packages];
  const rootUser = process.getuid?.() === 0;
  const sudo = !rootUser && spawnSync('sudo', ['-n', 'true'], { stdio: 'ignore' }).status === 0;
  if (!fs.existsSync('/usr/bin/apt-get') || (!rootUser && !sudo)) {
    stop(`Missing: ${packages.join(', ')}. Install with:\n\n  sudo ${install.join(' ')}\n`);
  }
  console.log(`Installing Debian's ${packages.join(', ')} …`);
  const prefix = rootUser ? [] : ['sudo', '-n'];
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  for (const words of [['apt-get', 'update', '-qq'], install]) {
    const [command, ...args] = [...prefix, ...words];
    spawnSync(command, args, { stdio: ['ignore', 'ignore', 'inherit'], env });
  }
  if (!isThere())
    stop(`Debian's packages could not be installed. Try:\n\n  sudo ${install.join(' ')}\n`);
}

/** Runs a step; ends the program with a sentence where it throws. */
export async function step(work) {
  try {
    return await work();
  } catch (error) {
    return stop(error.message);
  }
}

function filesBelow(folder) {
  return fs
    .readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map((entry) => path.join(entry.parentPath ?? entry.path, entry.name))
    .filter((file) => !file.endsWith('.test.ts'))
    .sort();
}

function hashOf(files) {
  const hash = createHash('sha256');
  for (const file of files) hash.update(path.relative(root, file)).update(fs.readFileSync(file));
  return hash.digest('hex');
}

function read(file) {
  try {
    return fs.readFileSync(file, 'utf8');
  } catch {
    return '';
  }
}
