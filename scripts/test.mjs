// The other command: installs what is missing, then lint, types, unit, integration, faults, journeys.
// Its last line counts the tests of all runners.
import { spawn, spawnSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import {
  ensureBuild,
  ensureChromium,
  ensureMariadb,
  ensurePackages,
  root,
  step,
} from './install.mjs';

const counts = { passed: 0, failed: 0 };
const results = path.join(root, 'test-results');

ensureMariadb();
const chromium = ensureChromium();
await step(ensurePackages);
fs.mkdirSync(results, { recursive: true });

await check('sync', ['svelte-kit', 'sync']);
await Promise.all([
  check('types', ['svelte-check', '--tsconfig', './tsconfig.json', '--threshold', 'warning']),
  check('lint', ['eslint', '.', '--max-warnings', '0']).then(() =>
    check('format', ['prettier', '--check', '.', '--log-level', 'warn']),
  ),
]);
vitest('unit');
await step(ensureBuild);
vitest('integration');
vitest('faults');
journeys();

console.log(`\n${counts.passed} passed, ${counts.failed} failed`);
process.exit(counts.failed > 0 ? 1 : 0);

/** A check that passes or fails as a whole; what it says is shown when it has ended, so that two can run at once. */
async function check(name, words) {
  const child = spawn('npx', words, { cwd: root, stdio: ['ignore', 'pipe', 'pipe'] });
  let said = '';
  child.stdout.on('data', (part) => (said += part));
  child.stderr.on('data', (part) => (said += part));
  const status = await new Promise((done) => child.once('close', done));
  console.log(`\n── ${name}\n${said.trim()}`);
  note(status === 0 ? [1, 0] : [0, 1]);
}

function vitest(project) {
  console.log(`\n── ${project}`);
  const output = path.join(results, `${project}.json`);
  fs.rmSync(output, { force: true });
  const words = ['vitest', 'run', '--project', project, '--reporter=default', '--reporter=json'];
  const ran = runs([...words, `--outputFile.json=${output}`]);
  const report = readReport(output);
  const passed = report?.numPassedTests ?? 0;
  const failed = report?.numFailedTests ?? 0;
  // A file that could not be loaded fails without a failed test.
  note([passed, !ran && failed === 0 ? 1 : failed]);
}

function journeys() {
  console.log('\n── journeys');
  const output = path.join(results, 'journeys.json');
  fs.rmSync(output, { force: true });
  const ran = runs(['playwright', 'test', '--reporter=list,json'], {
    PLAYWRIGHT_JSON_OUTPUT_NAME: output,
    UNISOR_CHROMIUM: chromium,
  });
  const stats = readReport(output)?.stats ?? {};
  const failed = stats.unexpected ?? 0;
  note([(stats.expected ?? 0) + (stats.flaky ?? 0), !ran && failed === 0 ? 1 : failed]);
}

function runs(words, env = {}) {
  const done = spawnSync('npx', words, {
    cwd: root,
    stdio: 'inherit',
    env: { ...process.env, ...env },
  });
  return done.status === 0;
}

function readReport(file) {
  try {
    return JSON.parse(fs.readFileSync(file, 'utf8'));
  } catch {
    return null;
  }
}

function note([passed, failed]) {
  counts.passed += passed;
  counts.failed += failed;
}
