import path from 'node:path';
import { pathToFileURL } from 'node:url';
import { MessageChannel } from 'node:worker_threads';
import { Piscina } from 'piscina';
import { ProblemError, type Problem } from '$lib/core/problems';

/** What work in another thread came to. */
export type Told<T> = { gave: T } | { problems: Problem[]; status: number };

/** Sources are read as they are written: the product runs from its repository. */
export const readingSources = [
  '--import',
  pathToFileURL(path.resolve('src', 'server', 'threads', 'sources.mjs')).href,
];

let pool: Piscina | null = null;

/** The threads for long work: a few, made when they are needed, and gone again after a while. */
function threads(): Piscina {
  pool ??= new Piscina({
    execArgv: readingSources,
    minThreads: 0,
    maxThreads: 2,
    idleTimeout: 30_000,
  });
  return pool;
}

/** Has a file worked on in another thread, to which it is sent as it comes, no faster than it is taken. */
export async function apart<T>(
  work: 'examine',
  body: ReadableStream<Uint8Array>,
  given: object,
): Promise<T> {
  const { port1: own, port2: port } = new MessageChannel();
  const filename = path.resolve('src', 'server', 'threads', `${work}.ts`);
  const doing = threads().run({ ...given, port }, { filename, transferList: [port] }) as Promise<
    Told<T>
  >;
  const reader = body.getReader();
  let sending = false;
  own.on('message', () => {
    if (sending) return;
    sending = true;
    const piece = reader.read().then(
      ({ done, value }) => (done ? 'end' : value),
      () => 'gone' as const,
    );
    void piece.then((what) => {
      sending = false;
      own.postMessage(what);
    });
  });
  try {
    const told = await doing;
    if ('gave' in told) return told.gave;
    throw new ProblemError(told.problems, told.status);
  } finally {
    own.close();
    // What is not read any more is not waited for.
    void reader.cancel().catch(() => undefined);
  }
}

/** Ends the threads; called when the server stops. */
export async function endThreads(): Promise<void> {
  await pool?.destroy();
  pool = null;
}
