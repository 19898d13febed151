import { Readable } from 'node:stream';
import contentDisposition from 'content-disposition';
import parseRange from 'range-parser';
import { fail } from '$lib/core/problems';
import { fileIdSchema, fileName, shownPictures } from '$lib/core/values/files';
import type { Database } from '../database/connection';
import { knownFiles, type KnownFile } from './known';
import { bytesOf } from './pieces';

/** A column in which a file stands. */
export interface FileUse {
  table: string;
  column: string;
}

/**
 * A file for somebody who may see it, by who they are and `sees`, which is asked of the columns in which it
 * stands; answered as not there for everybody else.
 */
export async function fileFor(
  db: Database,
  id: string,
  by: string,
  sees: (uses: readonly FileUse[]) => Promise<boolean>,
): Promise<KnownFile> {
  if (!fileIdSchema.safeParse(id).success) fail('file_not_here', {}, 404);
  const known = (await knownFiles(db, db.knex, [id])).get(id);
  if (!known || known.type === null) return fail('file_not_here', {}, 404);
  const rows = await db.knex('file_use').withSchema(db.catalog).where({ file: id });
  const uses = rows.map((row): FileUse => {
    return { table: String(row.table_key), column: String(row.column_key) };
  });
  if (known.handedBy !== by && !(await sees(uses))) fail('file_not_here', {}, 404);
  return known;
}

/**
 * A file as it is answered: pictures that every browser shows stand in the page, everything else is put down as
 * a file. Nothing in it is run, whatever it is. A part of it can be asked for (RFC 9110, 14), so that a film starts
 * where one likes and a download goes on; of several parts at once the whole is given.
 */
export function fileAnswer(
  db: Database,
  { file, name, size, type }: KnownFile,
  as: string | null,
  asked: Headers = new Headers(),
): Response {
  const shown = shownPictures.has(type ?? '');
  // What stands under a name never changes.
  const etag = `"${file}"`;
  const headers = new Headers({
    'accept-ranges': 'bytes',
    etag,
    'cache-control': 'private, no-cache',
    'content-type': shown && type ? type : 'application/octet-stream',
    'content-disposition': contentDisposition(fileName(as ?? name), {
      type: shown ? 'inline' : 'attachment',
    }),
    'content-security-policy': "default-src 'none'; sandbox",
    'x-content-type-options': 'nosniff',
  });
  if (asked.get('if-none-match') === etag) return new Response(null, { status: 304, headers });
  const range = (asked.get('if-range') ?? etag) === etag ? asked.get('range') : null;
  const ranges = range === null ? malformed : parseRange(size, range);
  if (ranges === unsatisfiable) {
    headers.set('content-range', `bytes */${size}`);
    return new Response(null, { status: 416, headers });
  }
  const [one, ...others] = typeof ranges === 'number' || ranges.type !== 'bytes' ? [] : ranges;
  const part = others.length === 0 ? one : undefined;
  if (part) headers.set('content-range', `bytes ${part.start}-${part.end}/${size}`);
  headers.set('content-length', String(part ? part.end - part.start + 1 : size));
  const bytes = Readable.toWeb(Readable.from(bytesOf(db, file, part)));
  return new Response(bytes as ReadableStream, { status: part ? 206 : 200, headers });
}

/** What `range-parser` gives for ranges that lie outside of the file, and for what are none. */
const unsatisfiable = -1;
const malformed = -2;
