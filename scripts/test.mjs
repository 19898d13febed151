// The other command: installs what is missing, then checks, unit, components, integration, faults, cluster, journeys.
// `npm test -- integration` runs one of them; any other word, the test files whose path holds it.
// Its last line counts the tests of all runners.
import { spawn, spawnSync } from 'node:child_process';
import fs from 'node:fs';
import path from 'node:path';
import {
  ensureBuild,
  ensureChromium,
  ensureCluster,
  ensureMariadb,
  ensurePackages,
  root,
  step,
} from './install.mjs';

const suites = {
  checks,
  unit: inVitest('unit'),
  components: inVitest('components'),
  integration: inVitest('integration'),
  faults: inVitest('faults'),
  cluster: inVitest('cluster'),
  journeys,
};
/** Those that run the built server, or want a database or a browser. */
const built = ['integration', 'faults', 'cluster', 'journeys'];

const counts = { passed: 0, failed: 0 };
/** What has failed, a line each: told again at the end, where it is looked for. */
const failures = [];
const results = path.join(root, 'test-results');
const wanted = process.argv.slice(2).filter((word) => !word.startsWith('-'));
const files = wanted.filter((word) => !Object.hasOwn(suites, word));
const named = wanted.filter((word) => Object.hasOwn(suites, word));
const chosen =
  wanted.length === 0 ? Object.keys(suites) : named.length > 0 ? named : holding(files);
if (chosen.length === 0) {
  console.error(
    `There is no part, and no test file, named ${files.join(' ')}. Parts: ${Object.keys(suites).join(', ')}.`,
  );
  process.exit(2);
}

if (chosen.some((suite) => built.includes(suite))) ensureMariadb();
if (chosen.includes('cluster')) ensureCluster();
if (chosen.includes('components') || chosen.includes('journeys')) ensureChromium();
await step(ensurePackages);
fs.mkdirSync(results, { recursive: true });
for (const suite of chosen) {
  if (built.includes(suite)) await step(ensureBuild);
  console.log(`\n── ${suite}`);
  const began = performance.now();
  await suites[suite]();
  console.log(`${suite}: ${((performance.now() - began) / 1000).toFixed(0)} s`);
}

if (failures.length > 0) console.log(`\nFailed:\n${failures.join('\n')}`);
console.log(`\n${counts.passed} passed, ${counts.failed} failed`);
process.exit(counts.failed > 0 ? 1 : 0);

/** Formatted, free of lint, typed; the plan of the house; nothing left over. */
async function checks() {
  await check('sync', ['svelte-kit', 'sync']);
  await Promise.all([
    check('types', ['svelte-check', '--tsconfig', './tsconfig.json', '--threshold', 'warning']),
    check('lint', ['eslint', '.', '--max-warnings', '0'])
      .then(() => check('format', ['prettier', '--check', '.', '--log-level', 'warn']))
      .then(() =>
        check('directions and circles', [
          'depcruise',
          'src',
          'simulators',
          'demo',
          'bench',
          'scripts',
          'tests',
        ]),
      )
      .then(() => check('left over', ['knip'])),
  ]);
}

/** The suites in which test files stand whose path holds one of the words. */
function holding(words) {
  const places = {
    unit: ['src', 'docs', 'demo', 'scripts'],
    components: ['tests/components'],
    integration: ['tests/integration'],
    faults: ['tests/faults'],
    cluster: ['tests/cluster'],
    journeys: ['tests/journeys'],
  };
  const holds = (folder) =>
    fs.readdirSync(path.join(root, folder), { recursive: true }).some((file) => {
      const full = path.join(folder, file);
      return /\.(test|spec)\.ts$/.test(full) && words.some((word) => full.includes(word));
    });
  return Object.keys(places).filter((suite) => places[suite].some(holds));
}

/** A check that passes or fails as a whole; what it says is shown when it has ended, so that two can run at once. */
async function check(name, words) {
  const child = spawn('npx', words, { cwd: root, stdio: ['ignore', 'pipe', 'pipe'] });
  let said = '';
  child.stdout.on('data', (part) => (said += part));
  child.stderr.on('data', (part) => (said += part));
  const status = await new Promise((done) => child.once('close', done));
  console.log(
    `${name}: ${status === 0 ? 'well' : 'not well'}${status === 0 ? '' : `\n${said.trim()}`}`,
  );
  if (status !== 0) failures.push(`checks: ${name}`);
  note(status === 0 ? [1, 0] : [0, 1]);
}

function inVitest(project) {
  return () => vitest(project);
}

function vitest(project) {
  const output = path.join(results, `${project}.json`);
  fs.rmSync(output, { force: true });
  const words = [
    'vitest',
    'run',
    ...files,
    '--project',
    project,
    '--reporter=default',
    '--reporter=json',
  ];
  const ran = runs([...words, `--outputFile.json=${output}`]);
  const report = readReport(output);
  const passed = report?.numPassedTests ?? 0;
  const failed = report?.numFailedTests ?? 0;
  for (const file of report?.testResults ?? []) {
    const at = `${project}: ${path.relative(root, file.name)}`;
    if (file.message) failures.push(`${at}: ${firstLine(file.message)}`);
    for (const test of file.assertionResults.filter((one) => one.status === 'failed')) {
      failures.push(`${at}: ${test.fullName}: ${firstLine(test.failureMessages?.[0])}`);
    }
  }
  // A file that could not be loaded fails without a failed test.
  note([passed, !ran && failed === 0 ? 1 : failed]);
}

function journeys() {
  const output = path.join(results, 'journeys.json');
  fs.rmSync(output, { force: true });
  const ran = runs(['playwright', 'test', ...files, '--reporter=list,json'], {
    PLAYWRIGHT_JSON_OUTPUT_NAME: output,
  });
  const stats = readReport(output)?.stats ?? {};
  const failed = stats.unexpected ?? 0;
  note([(stats.expected ?? 0) + (stats.flaky ?? 0), !ran && failed === 0 ? 1 : failed]);
}

/** What a failure says first. */
function firstLine(message = '') {
  return message.split('\n', 1)[0].slice(0, 200);
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
