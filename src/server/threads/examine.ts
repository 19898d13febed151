import { Readable } from 'node:stream';
import type { MessagePort } from 'node:worker_threads';
import { ProblemError } from '$lib/core/problems';
import { examineFile } from '../records/examine';
import type { Told } from './pool';

/** Looks a file through in a thread of its own; the file comes through a port, piece by piece. */
export default async function examine({
  port,
  delimiter,
}: {
  port: MessagePort;
  delimiter: string | undefined;
}): Promise<Told<Awaited<ReturnType<typeof examineFile>>>> {
  const file = new Readable({
    // Wants more: what has come was taken.
    read: () => port.postMessage('more'),
    destroy: (error, done) => {
      port.close();
      done(error);
    },
  });
  port.on('message', (piece: Uint8Array | 'end' | 'gone') => {
    if (piece === 'end') file.push(null);
    else if (piece === 'gone') file.destroy(new Error('aborted'));
    else file.push(piece);
  });
  try {
    return { gave: await examineFile(file, delimiter) };
  } catch (error) {
    // A problem keeps what it says; its kind does not come over to another thread by itself.
    if (error instanceof ProblemError) {
      return { problems: [...error.problems], status: error.status };
    }
    throw error;
  } finally {
    file.destroy();
  }
}
