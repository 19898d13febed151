import { DataStore, ERRORS, Server, Upload } from '@tus/server';
import type { Readable } from 'node:stream';
import { fail } from '$lib/core/problems';
import {
  fileIdSchema,
  fileName,
  kindOfFile,
  largestFile,
  mostPoints,
  sizeText,
  type KeptFile,
} from '$lib/core/values/files';
import type { Database } from '../database/connection';
import { refuseFull } from '../database/room';
import { pointsOf, typeOfContent } from './content';
import { asKept, files, knownFiles, type KnownFile } from './known';
import { hashOf, headOf, keepPiece, pieceBytes, removeFile } from './pieces';

/** Who hands files in, and how many bytes may wait for a record of theirs. */
export interface Giver {
  by: string;
  /** Where they are sent: the address of the route. */
  path: string;
  mostWaiting: number;
}

/** What of a signed-in person's files may wait for a record, in bytes. */
const mostWaiting = 5 * largestFile;
/** What of a guest's files may wait for a record, in bytes. */
export const mostWaitingOfGuest = 200 * 1024 ** 2;

/** Somebody who has signed in, by the name under which they save. */
export function signedInGiver(by: string): Giver {
  return { by, path: '/api/files', mostWaiting };
}

/**
 * Takes files as the open protocol for uploads that can go on after a cut has it (tus 1.0): made by POST with
 * its length, sent by PATCH from where it stands, asked by HEAD. The answer to its last bytes is the file as
 * values name it.
 */
export async function handIn(db: Database, request: Request, giver: Giver): Promise<Response> {
  let failed: unknown = null;
  const server = new Server({
    path: giver.path,
    relativeLocation: true,
    allowedOrigins: [],
    datastore: new PieceStore(db, giver),
    onUploadFinish: async ({ method }, { id }) => {
      const body = JSON.stringify(await settled(db, id));
      return {
        status_code: method === 'POST' ? 201 : 200,
        headers: { 'Content-Type': 'application/json' },
        body,
      };
    },
    onResponseError: (_, error) => {
      if (error instanceof Error) failed = error;
      return undefined;
    },
  });
  const response = await server.handleWeb(request);
  if (failed) throw failed;
  return response;
}

/** Where the protocol keeps what comes: in pieces, in the database. */
class PieceStore extends DataStore {
  readonly #db: Database;
  readonly #giver: Giver;

  constructor(db: Database, giver: Giver) {
    super();
    this.#db = db;
    this.#giver = giver;
    this.extensions = ['creation', 'creation-with-upload', 'termination'];
  }

  override async create(upload: Upload): Promise<Upload> {
    const { by } = this.#giver;
    const size = upload.size ?? 0;
    if (size === 0) fail('file_none', {}, 422);
    if (size > largestFile) {
      fail('file_too_long', { limit: sizeText(largestFile) }, 413);
    }
    await refuseFull(this.#db);
    if ((await waiting(this.#db, by)) + size > this.#giver.mostWaiting)
      fail('files_waiting', {}, 429);
    const name = fileName(upload.metadata?.name ?? '');
    await files(this.#db, this.#db.knex).insert({
      ...{ file: upload.id, name, size, handed_by: by },
      handed_at: this.#db.knex.raw('utc_timestamp()'),
    });
    return upload;
  }

  override async getUpload(id: string): Promise<Upload> {
    const { size, got } = await this.#own(id);
    return new Upload({ id, size, offset: got });
  }

  override async write(stream: Readable, id: string, offset: number): Promise<number> {
    return keepStream(this.#db, id, offset, stream);
  }

  override async remove(id: string): Promise<void> {
    await this.#own(id);
    if (!(await removeFile(this.#db, id))) fail('not_allowed', {}, 403);
  }

  /** A file that whoever asks has begun to hand in; somebody else's is not there for them. */
  async #own(id: string): Promise<KnownFile> {
    if (!fileIdSchema.safeParse(id).success) throw ERRORS.FILE_NOT_FOUND;
    const known = (await knownFiles(this.#db, this.#db.knex, [id])).get(id);
    if (known?.handedBy !== this.#giver.by) throw ERRORS.FILE_NOT_FOUND;
    return known;
  }
}

/** Keeps what comes of a file, a piece at a time; gives how far it has come. After a cut, whole pieces stay. */
async function keepStream(
  db: Database,
  file: string,
  offset: number,
  stream: Readable,
): Promise<number> {
  let at = offset;
  let held: Buffer[] = [];
  let length = 0;
  /** The piece on its way to the database; the next one comes, and is hashed, meanwhile. */
  let writing: Promise<void> = Promise.resolve();
  const write = async (from: number, bytes: Buffer, hash: Buffer) => {
    if (!(await keepPiece(db, file, from, bytes, hash))) throw ERRORS.INVALID_OFFSET;
  };
  const keep = async (bytes: Buffer) => {
    const hash = hashOf(bytes);
    await writing;
    writing = write(at, bytes, hash);
    // Told where it is awaited; without this a cut would leave it unheard.
    writing.catch(() => {});
    at += bytes.length;
  };
  for await (const chunk of stream) {
    held.push(chunk as Buffer);
    length += (chunk as Buffer).length;
    if (length < pieceBytes) continue;
    let all = Buffer.concat(held);
    for (; all.length >= pieceBytes; all = all.subarray(pieceBytes)) {
      await keep(all.subarray(0, pieceBytes));
    }
    [held, length] = [[all], all.length];
  }
  if (length > 0) await keep(Buffer.concat(held));
  await writing;
  return at;
}

/** Takes a file in that comes whole, under a name that is free. */
export async function receiveFile(
  db: Database,
  { file, name, by }: { file: string; name: string; by: string },
  bytes: Readable,
): Promise<KeptFile> {
  const row = { file, name, size: 0, handed_by: by, handed_at: db.knex.raw('utc_timestamp()') };
  await files(db, db.knex).insert(row);
  const size = await keepStream(db, file, 0, bytes);
  if (size === 0) fail('file_none');
  await files(db, db.knex).where({ file }).update({ size });
  return settled(db, file);
}

/** How many bytes of somebody's files stand in no record yet. */
async function waiting(db: Database, by: string): Promise<number> {
  const [row] = await files(db, db.knex)
    .where({ handed_by: by })
    .whereNotExists((without) =>
      without.from(db.knex.raw('??.`file_use` as u', [db.catalog])).whereRaw('u.file = file.file'),
    )
    .sum({ bytes: 'size' });
  return Number(row?.bytes ?? 0);
}

/** A file that has come whole, by what it is; one that is not taken is thrown away again. */
async function settled(db: Database, id: string): Promise<KeptFile> {
  const known = (await knownFiles(db, db.knex, [id])).get(id);
  if (!known) return fail('file_not_here', {}, 404);
  const head = await headOf(db, id);
  const type = await typeOfContent(head, known.name);
  const points = kindOfFile(type) === 'picture' ? pointsOf(head) : null;
  if (points && points.width * points.height > mostPoints) {
    await removeFile(db, id);
    const { width, height } = points;
    fail('file_too_many_points', { width, height, limit: mostPoints }, 422);
  }
  await files(db, db.knex).where({ file: id }).update({ type });
  return asKept({ ...known, type });
}
