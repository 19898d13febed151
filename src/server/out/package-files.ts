import { randomBytes } from 'node:crypto';
import { finished } from 'node:stream/promises';
import { Readable } from 'node:stream';
import { stringify } from 'csv-stringify/sync';
import type yazl from 'yazl';
import { fileListPath, filePath } from '$lib/core/formats/data-package';
import { fileIdSchema, fileName } from '$lib/core/values/files';
import type { Column } from '$lib/core/table/definition';
import type { Database, Runner } from '../database/connection';
import { receiveFile } from '../files/hand-in';
import { knownFiles } from '../files/known';
import { bytesOf } from '../files/pieces';
import { openCsv } from '../records/csv-file';
import type { ReceivedZip } from '../zip-file';

const together = 500;
const heads = ['file', 'name', 'type', 'size'];

/** Writes files into a package, one after the other, and their list behind them. */
export async function addFiles(
  db: Database,
  runner: Runner,
  zip: yazl.ZipFile,
  ids: ReadonlySet<string>,
  mtime: Date,
  gone: Promise<never>,
): Promise<void> {
  const sorted = [...ids].sort();
  const lines = [heads];
  for (let i = 0; i < sorted.length; i += together) {
    const known = await knownFiles(db, runner, sorted.slice(i, i + together));
    for (const { file, name, type, size } of known.values()) {
      const bytes = Readable.from(bytesOf(db, file), { objectMode: false });
      // What is compressed already gains nothing.
      zip.addReadStream(bytes, filePath(file), { mtime, compress: false });
      await Promise.race([finished(bytes), gone]);
      lines.push([file, name, type ?? '', String(size)]);
    }
  }
  const list = Buffer.from(stringify(lines, { record_delimiter: '\r\n' }));
  zip.addBuffer(list, fileListPath, { mtime });
}

/**
 * Takes the files of a package in; gives the names that they have here: those that they had, where these are
 * free, so that the same package comes out again.
 */
export async function takeFilesIn(
  db: Database,
  zip: ReceivedZip,
  by: string,
): Promise<ReadonlyMap<string, string>> {
  const names = new Map<string, string>();
  if (!zip.has(fileListPath)) return names;
  const list = await openCsv(await zip.open(fileListPath), ',');
  for await (const batch of list.rows) {
    for (const { cells } of batch) {
      const [given = '', name = ''] = cells;
      if (!fileIdSchema.safeParse(given).success || names.has(given)) continue;
      const taken = (await knownFiles(db, db.knex, [given])).has(given);
      const file = taken ? randomBytes(16).toString('hex') : given;
      await receiveFile(db, { file, name: fileName(name), by }, await zip.open(filePath(given)));
      names.set(given, file);
    }
  }
  return names;
}

/** A value of a package by the names that its files have here. */
export function renamedFiles(
  { type }: Column,
  value: unknown,
  names: ReadonlyMap<string, string>,
): unknown {
  if (type.kind !== 'files' || !Array.isArray(value)) return value;
  const here = (id: unknown) => (typeof id === 'string' ? (names.get(id) ?? id) : id);
  return value.map((one: unknown) =>
    typeof one === 'object' && one !== null && 'file' in one
      ? { ...one, file: here(one.file), small: 'small' in one ? here(one.small) : null }
      : one,
  );
}
