import os from 'node:os';
import path from 'node:path';
import { Piscina } from 'piscina';
import { readingSources } from '../threads/pool';
import type { Judged, Judging } from './drift';

/** No more threads than this judge at once, however many processors there are: the database has other guests. */
const mostThreads = 4;

/** Threads that judge records: one for each processor, each with a page in hand while it waits for another. */
export function judgingThreads(): Judging {
  const threads = Math.min(mostThreads, os.availableParallelism());
  const pool = new Piscina({
    filename: path.resolve('src', 'server', 'keeping', 'drift-thread.ts'),
    execArgv: readingSources,
    minThreads: threads,
    maxThreads: threads,
    concurrentTasksPerWorker: 2,
    // An entry lives as long as its page: with room for a page, little of it has to be moved about.
    resourceLimits: { maxYoungGenerationSizeMb: 96 },
  });
  return {
    pages: threads * 2,
    judge: (page) => pool.run(page) as Promise<Judged[]>,
    end: () => pool.destroy(),
  };
}
