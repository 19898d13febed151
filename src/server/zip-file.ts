import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { text } from 'node:stream/consumers';
import { promisify } from 'node:util';
import yauzl, { type Entry, type ZipFile } from 'yauzl';
import { fail } from '$lib/core/problems';

/** The largest package, as it comes and unpacked, in bytes; and the largest description in one. */
const mostBytes = 2 * 1024 ** 3;
const mostUnpacked = 8 * 1024 ** 3;
const mostDescribed = 64 * 1024 ** 2;
const mostFiles = 200_000;

/** A zip that was received whole: its files by name, each to be read as a stream. */
export interface ReceivedZip {
  /** The names of its files, with their sizes unpacked, in bytes: what is longer than it says fails when it is read. */
  sizes: ReadonlyMap<string, number>;
  has: (name: string) => boolean;
  open: (name: string) => Promise<Readable>;
  json: (name: string) => Promise<unknown>;
  end: () => Promise<void>;
}

/**
 * Receives a zip into a temporary file, and reads what is in it. Names that lead out of it, too many files, and
 * more bytes than are allowed, as they come or unpacked, are refused.
 */
export async function receiveZip(body: ReadableStream<Uint8Array>): Promise<ReceivedZip> {
  const folder = await fs.promises.mkdtemp(path.join(os.tmpdir(), 'unisor-in-'));
  const file = path.join(folder, 'package.zip');
  const leave = () => fs.promises.rm(folder, { recursive: true, force: true });
  try {
    await pipeline(Readable.fromWeb(body as never), bounded(mostBytes), fs.createWriteStream(file));
    return await openZip(file, mostUnpacked, leave);
  } catch (error) {
    await leave();
    throw error;
  }
}

/** Opens a zip that is there as a file; none of what is in it may be larger than so many bytes. */
export async function openZip(
  file: string,
  most = Infinity,
  leave: () => Promise<void> = async () => {},
): Promise<ReceivedZip> {
  const zip = await opened(file);
  try {
    const entries = await entriesOf(zip).catch((error: unknown) => unreadable(error));
    const open = async (name: string): Promise<Readable> => {
      const entry = entries.get(name);
      if (!entry) return fail('package_file_missing', { name });
      const stream = await promisify<Entry, Readable>(zip.openReadStream.bind(zip) as never)(entry);
      return (most === Infinity ? stream : stream.compose(bounded(most))) as Readable;
    };
    return {
      open,
      sizes: new Map([...entries].map(([name, entry]) => [name, entry.uncompressedSize])),
      has: (name) => entries.has(name),
      json: async (name) => {
        if ((entries.get(name)?.uncompressedSize ?? 0) > mostDescribed) fail('package_too_large');
        try {
          return JSON.parse(await text(await open(name))) as unknown;
        } catch (error) {
          if (error instanceof SyntaxError) return fail('package_not_json', { name });
          throw error;
        }
      },
      end: async () => {
        zip.close();
        await leave();
      },
    };
  } catch (error) {
    zip.close();
    throw error;
  }
}

async function opened(file: string): Promise<ZipFile> {
  const open = promisify<string, yauzl.Options, ZipFile>(yauzl.open as never);
  return open(file, { lazyEntries: true, autoClose: false, validateEntrySizes: true }).catch(
    unreadable,
  );
}

function unreadable(error: unknown): never {
  return fail('package_unreadable', { reason: String((error as Error).message).slice(0, 200) });
}

/** The files of a zip; names with `..`, absolute ones and backslashes are refused by the reader of zips. */
async function entriesOf(zip: ZipFile): Promise<Map<string, Entry>> {
  const entries = new Map<string, Entry>();
  let bytes = 0;
  return new Promise((done, failed) => {
    zip.on('error', failed);
    zip.on('end', () => done(entries));
    zip.on('entry', (entry: Entry) => {
      bytes += entry.uncompressedSize;
      if (entries.size >= mostFiles || bytes > mostUnpacked) {
        return failed(new Error('it has too many files, or too much in them'));
      }
      if (!entry.fileName.endsWith('/')) entries.set(entry.fileName, entry);
      zip.readEntry();
    });
    zip.readEntry();
  });
}

function bounded(most: number): Transform {
  let bytes = 0;
  return new Transform({
    transform(chunk: Buffer, _, done) {
      bytes += chunk.length;
      if (bytes <= most) return done(null, chunk);
      try {
        fail('package_too_large', {}, 413);
      } catch (error) {
        done(error as Error);
      }
    },
  });
}
