import { spawn, type ChildProcess } from 'node:child_process';
import path from 'node:path';
import type { Database } from '../database/connection';
import { log } from '../log';
import { unfinishedDrifts } from './drift';

/** Runs are worked on with so little right to the processor: whoever saves comes first. */
const niceness = '15';

/** Room for what lives as long as a page of records: with less, a fifth of the work is moving it about. */
const youngMb = 64;

const working = new Map<number, ChildProcess>();

/**
 * Has a run worked on in a process of its own, read as it is written, like the product runs from its repository;
 * nobody waits for it. What is cut off goes on with {@link goOnWithDrifts}.
 */
export function driftBehind(run: number): void {
  if (working.has(run)) return;
  const file = path.resolve('src', 'server', 'keeping', 'drift-process.ts');
  // Before it begins: each of its threads has as little right as it has.
  const node = [process.execPath, `--max-semi-space-size=${youngMb}`, '--import', 'tsx'];
  const begin = ['-n', niceness, ...node, file, String(run)];
  const child = spawn('nice', begin, { stdio: ['ignore', 'ignore', 'pipe'] });
  working.set(run, child);
  let words = '';
  child.stderr.on('data', (chunk: Buffer) => (words = (words + String(chunk)).slice(-1000)));
  child.once('error', (err) => log.warn({ err, run }, 'a run over stored records did not begin'));
  child.once('close', (code) => {
    working.delete(run);
    if (code !== 0 && code !== null)
      log.warn({ run, code, words }, 'a run over stored records ended');
  });
}

/** Goes on with what an ended server has left. */
export async function goOnWithDrifts(db: Database): Promise<void> {
  for (const run of await unfinishedDrifts(db)) driftBehind(run);
}

/** Ends what works behind; it goes on when the server starts again. */
export function endDrifts(): void {
  for (const child of working.values()) child.kill('SIGTERM');
  working.clear();
}
