import { Readable } from 'node:stream';
import contentDisposition from 'content-disposition';
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
 * a file. Nothing in it is run, whatever it is.
 */
export function fileAnswer(db: Database, { file, name, size, type }: KnownFile, as: string | null) {
  const shown = shownPictures.has(type ?? '');
  const called = fileName(as ?? name);
  return new Response(Readable.toWeb(Readable.from(bytesOf(db, file))) as ReadableStream, {
    headers: {
      'content-type': shown && type ? type : 'application/octet-stream',
      'content-length': String(size),
      'content-disposition': contentDisposition(called, {
        type: shown ? 'inline' : 'attachment',
      }),
      'content-security-policy': "default-src 'none'; sandbox",
      'x-content-type-options': 'nosniff',
    },
  });
}
