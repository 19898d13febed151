import { createHash } from 'node:crypto';
import type { Database } from '../database/connection';
import { runBinary } from '../database/rows';
import { inTransaction } from '../database/transaction';
import { files } from './known';

/** Files are kept in pieces of so many bytes, each once, whatever files it stands in. */
export const pieceBytes = 1024 ** 2;

/** What a piece is kept under: the SHA-256 of its bytes. */
export function hashOf(bytes: Buffer): Buffer {
  return createHash('sha256').update(bytes).digest();
}

/** Keeps what comes next of a file; gives whether it was what comes next. */
export async function keepPiece(
  db: Database,
  file: string,
  at: number,
  bytes: Buffer,
  hash: Buffer,
): Promise<boolean> {
  return inTransaction(db, async (trx) => {
    const next = await files(db, trx)
      .where({ file, got: at })
      .update({ got: at + bytes.length });
    if (next === 0) return false;
    const known = await trx('file_piece').withSchema(db.catalog).where({ hash }).forShare().first();
    if (!known) {
      const into = `\`${db.catalog}\`.\`file_piece\``;
      await runBinary(trx, `insert ignore into ${into} (\`hash\`, \`bytes\`) values (?, ?)`, [
        hash,
        bytes,
      ]);
    }
    const part = { file, at, length: bytes.length, hash };
    await trx('file_part').withSchema(db.catalog).insert(part);
    return true;
  });
}

/** Some bytes of a file: from the first to the last one, both included. */
export interface ByteRange {
  start: number;
  end: number;
}

/** The bytes of a file in order, a piece at a time; of a range only the pieces that it lies in. */
export async function* bytesOf(
  db: Database,
  file: string,
  { start, end }: ByteRange = { start: 0, end: Infinity },
): AsyncGenerator<Buffer> {
  const parts = await db
    .knex('file_part')
    .withSchema(db.catalog)
    .where({ file })
    .orderBy('at')
    .select('at', 'length', 'hash');
  for (const part of parts) {
    const [at, length] = [Number(part.at), Number(part.length)];
    if (at + length <= start || at > end) continue;
    const { hash } = part;
    const piece = await db
      .knex('file_piece')
      .withSchema(db.catalog)
      .where({ hash: hash as Buffer })
      .first('bytes');
    if (!piece) throw new Error(`a piece of file ${file} is missing`);
    const bytes = piece.bytes as Buffer;
    yield bytes.subarray(Math.max(0, start - at), Math.min(length, end - at + 1));
  }
}

/** The first bytes of a file: its first piece. */
export async function headOf(db: Database, file: string): Promise<Buffer> {
  for await (const bytes of bytesOf(db, file)) return bytes;
  return Buffer.alloc(0);
}

/**
 * Takes away a file that stands in no record, with the pieces that stand in no other file; gives whether it
 * went.
 */
export async function removeFile(db: Database, file: string): Promise<boolean> {
  const parts = await db
    .knex('file_part')
    .withSchema(db.catalog)
    .where({ file })
    .distinct<{ hash: Buffer }[]>('hash');
  const sql =
    'delete from ??.`file` where file = ? and not exists (select 1 from ??.`file_use` u where u.file = ??.`file`.file)';
  const [result] = await db.knex.raw(sql, [db.catalog, file, db.catalog, db.catalog]);
  if (result.affectedRows === 0) return false;
  // A piece that stands in another file stays: its parts hold it.
  for (const { hash } of parts) {
    await db.knex.raw('delete ignore from ??.`file_piece` where hash = ?', [db.catalog, hash]);
  }
  return true;
}
