import fc from 'fast-check';
import { createHash, randomBytes } from 'node:crypto';
import { Readable } from 'node:stream';
import { buffer } from 'node:stream/consumers';
import { beforeAll, describe, expect, it } from 'vitest';
import type { ProblemError } from '../../src/core/problems';
import { keptFileSchema, largestFile, type KeptFile } from '../../src/core/values/files';
import { filesIn } from '../../src/core/values/types';
import {
  changeFiles,
  removeColumn,
  renameTableColumn,
  renameWholeTable,
} from '../../src/server/catalog/restructure';
import { addTableColumn, loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import { handIn, receiveFile } from '../../src/server/files/hand-in';
import { knownFiles } from '../../src/server/files/known';
import { bytesOf, pieceBytes } from '../../src/server/files/pieces';
import { fileAnswer, fileFor } from '../../src/server/files/serve';
import { sweepFiles } from '../../src/server/files/sweep';
import { writePackage } from '../../src/server/out/package';
import { takePackageIn } from '../../src/server/out/take-in';
import { readRecord } from '../../src/server/records/read';
import { undoSave } from '../../src/server/records/history';
import { addRecord, changeRecord, deleteRecord } from '../../src/server/records/write';
import { column, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const here = useDatabase('t_files');
const there = useDatabase('t_files_in');

/** The smallest picture: one point. */
const png = Buffer.from(
  'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
  'base64',
);

/** The head of a picture of 30,000 × 30,000 points that says nothing more. */
const huge = (() => {
  const bytes = Buffer.from(png);
  bytes.writeUInt32BE(30_000, 16);
  bytes.writeUInt32BE(30_000, 20);
  return bytes;
})();

const filesColumn = (key: string, kinds: ('picture' | 'document')[] = [], most = 3) =>
  column(key, { type: { kind: 'files', kinds, largest: 5_000_000, most } });

beforeAll(async () => {
  await makeTable(
    here.db,
    table('score', [column('name'), filesColumn('cover', ['picture']), filesColumn('scans')]),
    't',
  );
});

const giver = (by = 'ada', mostWaiting = 2 * largestFile) => ({
  ...{ by, path: '/api/files', mostWaiting },
});
const meta = (name: string) => `name ${Buffer.from(name).toString('base64')}`;

function send(
  method: string,
  headers: Record<string, string>,
  body: BodyInit | null = null,
  file = '',
) {
  const address = `http://127.0.0.1/api/files${file === '' ? '' : `/${file}`}`;
  const all = { 'tus-resumable': '1.0.0', ...headers };
  return new Request(address, { method, headers: all, body, duplex: 'half' } as RequestInit);
}

async function begin(length: number, name = 'a file.bin', by = 'ada'): Promise<string> {
  const headers = { 'upload-length': String(length), 'upload-metadata': meta(name) };
  const answer = await handIn(here.db, send('POST', headers), giver(by));
  expect(answer.status).toBe(201);
  const at = answer.headers.get('location') ?? '';
  expect(at).toMatch(/^\/api\/files\/[0-9a-f]{32}$/);
  return at.split('/').at(-1) ?? '';
}

async function patch(file: string, offset: number, bytes: BodyInit, by = 'ada') {
  const headers = {
    ...{ 'upload-offset': String(offset) },
    'content-type': 'application/offset+octet-stream',
  };
  return handIn(here.db, send('PATCH', headers, bytes, file), giver(by));
}

async function handed(bytes: Buffer, name: string, by = 'ada'): Promise<KeptFile> {
  const file = await begin(bytes.length, name, by);
  const answer = await patch(file, 0, new Uint8Array(bytes), by);
  expect(answer.status).toBe(200);
  return keptFileSchema.parse(await answer.json());
}

const gotOf = async (file: string) =>
  (await knownFiles(here.db, here.db.knex, [file])).get(file)?.got ?? 0;
const whole = async (file: string) => buffer(Readable.from(bytesOf(here.db, file)));
const codeOf = (work: Promise<unknown>) =>
  work.then(
    () => 'taken',
    (error: ProblemError) => error.problems[0]?.code ?? String(error),
  );
const house = () => loadTables(here.db);
const score = async () => tableFrom(await house(), 'score');
const add = async (values: Record<string, unknown>, by = 'ada') =>
  addRecord(here.db, await house(), await score(), values, by);

describe('handing in a file', () => {
  it('takes it whole, and tells what it is by its content', async () => {
    const kept = await handed(png, 'C:\\pictures\\hall.pdf');
    expect(kept).toMatchObject({ name: 'hall.pdf', type: 'image/png', size: png.length });
    expect(await whole(kept.file)).toEqual(png);
  });

  it('goes on where it was cut off, and keeps what had come', async () => {
    const bytes = randomBytes(2 * pieceBytes + 777);
    const file = await begin(bytes.length);
    const cut = new ReadableStream<Uint8Array>({
      async pull(controller) {
        controller.enqueue(new Uint8Array(bytes.subarray(0, pieceBytes + 1000)));
        // The wire breaks once the first piece is kept.
        for (let got = 0; got < pieceBytes;) got = await gotOf(file);
        controller.error(new Error('cut off'));
      },
    });
    await patch(file, 0, cut).catch(() => undefined);
    const asked = await handIn(here.db, send('HEAD', {}, null, file), giver());
    const at = Number(asked.headers.get('upload-offset'));
    expect(at).toBeGreaterThanOrEqual(pieceBytes);
    expect(at).toBeLessThanOrEqual(pieceBytes + 1000);
    expect((await patch(file, 0, 'again')).status).toBe(409);
    expect((await patch(file, at, new Uint8Array(bytes.subarray(at)))).status).toBe(200);
    expect((await whole(file)).equals(bytes)).toBe(true);
  });

  it('keeps the same bytes once', async () => {
    const bytes = randomBytes(pieceBytes);
    await handed(bytes, 'one');
    await handed(bytes, 'two');
    const hash = createHash('sha256').update(bytes).digest();
    const pieces = await here.db.knex('file_piece').withSchema(here.db.catalog).where({ hash });
    expect(pieces).toHaveLength(1);
  });

  it.each([
    ['no bytes', '0', 'file_none'],
    ['four gigabytes', String(4 * 1024 ** 3), 'file_too_long'],
    ['more than may wait', String(largestFile), 'files_waiting'],
  ])('refuses %s', async (_, length, code) => {
    const headers = { 'upload-length': length, 'upload-metadata': meta('x') };
    expect(await codeOf(handIn(here.db, send('POST', headers), giver('b', 1000)))).toBe(code);
  });

  it('refuses a picture that nothing could show, and keeps nothing of it', async () => {
    const file = await begin(huge.length, 'huge.png');
    expect(await codeOf(patch(file, 0, new Uint8Array(huge)))).toBe('file_too_many_points');
    expect((await handIn(here.db, send('HEAD', {}, null, file), giver())).status).toBe(404);
  });

  it('is not there for anybody else', async () => {
    const file = await begin(10);
    expect((await patch(file, 0, '0123456789', 'bea')).status).toBe(404);
    const asked = send('DELETE', {}, null, file);
    expect((await handIn(here.db, asked, giver('bea'))).status).toBe(404);
    const head = await handIn(here.db, send('HEAD', {}, null, file), giver('ada'));
    expect(head.headers.get('upload-offset')).toBe('0');
  });

  it.each([
    ['<svg xmlns="http://www.w3.org/2000/svg"/>', 'a.svg'],
    ['<!doctype html><script>alert(1)</script>', 'a.png'],
    ['a;b\n1;2\n', 'a.csv'],
    ['%PDF-1.7\n', 'a.jpg'],
  ])('answers %s as a file and never as a page', async (text, name) => {
    const { file } = await handed(Buffer.from(text), name);
    const known = await fileFor(here.db, file, 'ada', async () => false);
    const answer = fileAnswer(here.db, known, null);
    expect(answer.headers.get('content-type')).toBe('application/octet-stream');
    expect(answer.headers.get('content-disposition')).toContain('attachment');
    expect(answer.headers.get('content-security-policy')).toContain('sandbox');
    expect(answer.headers.get('x-content-type-options')).toBe('nosniff');
    expect(await answer.text()).toBe(text);
  });
});

describe('parts of a file (RFC 9110, 14)', () => {
  it('are the bytes that are asked for, across pieces, and whatever else is asked is the whole', async () => {
    const bytes = Buffer.from(
      Array.from({ length: pieceBytes + 300_000 }, (_, i) => (i * 7) % 251),
    );
    const { file } = await handed(bytes, 'long.bin');
    const known = await fileFor(here.db, file, 'ada', async () => false);
    const answer = async (headers: Record<string, string>) => {
      const got = fileAnswer(here.db, known, null, new Headers(headers));
      const sent = Buffer.from(await got.arrayBuffer());
      return {
        status: got.status,
        of: got.headers.get('content-range'),
        sent,
        headers: got.headers,
      };
    };
    const size = bytes.length;
    await fc.assert(
      fc.asyncProperty(fc.nat(size - 1), fc.nat(size - 1), async (a, b) => {
        const [from, to] = [Math.min(a, b), Math.max(a, b)];
        const { status, of, sent, headers } = await answer({ range: `bytes=${from}-${to}` });
        expect([status, of]).toEqual([206, `bytes ${from}-${to}/${size}`]);
        expect(headers.get('content-length')).toBe(String(to - from + 1));
        expect(sent.equals(bytes.subarray(from, to + 1))).toBe(true);
      }),
      { numRuns: 40 },
    );
    expect((await answer({ range: 'bytes=-5' })).sent.equals(bytes.subarray(-5))).toBe(true);
    expect(await answer({ range: `bytes=${size}-` })).toMatchObject({
      status: 416,
      of: `bytes */${size}`,
    });
    for (const range of ['bytes=0-1,5-6', 'bytes=x', 'lines=1-2', '']) {
      const { status, sent } = await answer({ range });
      expect([range, status, sent.length]).toEqual([range, 200, size]);
    }
    const etag = `"${file}"`;
    expect((await answer({ range: 'bytes=0-1', 'if-range': etag })).status).toBe(206);
    expect((await answer({ range: 'bytes=0-1', 'if-range': '"other"' })).status).toBe(200);
    expect(await answer({ 'if-none-match': etag })).toMatchObject({
      status: 304,
      sent: Buffer.alloc(0),
    });
  });
});

describe('a file in a record', () => {
  it('stands in it, in its history, and comes back with an undone save', async () => {
    const [one, two] = [await handed(png, 'one.png'), await handed(png, 'two.png')];
    const made = await add({ name: 'a', cover: [one] });
    expect(filesIn(made.values.cover ?? null)).toEqual([one]);
    const all = await house();
    const own = await score();
    // Whoever changes it need not have handed in what stands there.
    await changeRecord(here.db, all, own, made.id, 1, { cover: [one, two] }, 'ada');
    await changeRecord(here.db, all, own, made.id, 2, { cover: null }, 'bea');
    await changeRecord(here.db, all, own, made.id, 3, { cover: [two] }, 'bea');
    const submission = await deleteRecord(here.db, all, own, made.id, 4, 'bea');
    await undoSave(here.db, all, submission, 'bea');
    const back = await readRecord(here.db, here.db.knex, all, own, made.id);
    expect(filesIn(back.values.cover ?? null)).toEqual([two]);
  });

  it.each([
    ['not handed in', { file: 'a'.repeat(32) }],
    ['larger than it is', { size: 4 }],
    ['of another type', { type: 'image/jpeg' }],
  ])('is refused where it is %s', async (_, lie) => {
    const kept = await handed(png, 'x.png');
    expect(await codeOf(add({ name: 'b', cover: [{ ...kept, ...lie }] }))).toBe('file_unknown');
  });

  it('is refused where somebody else handed it in, until it stands in a record', async () => {
    const kept = await handed(png, 'x.png', 'ada');
    expect(await codeOf(add({ name: 'c', cover: [kept] }, 'bea'))).toBe('file_unknown');
    expect(await codeOf(fileFor(here.db, kept.file, 'bea', async () => false))).toBe(
      'file_not_here',
    );
    await add({ name: 'c', cover: [kept] }, 'ada');
    expect(await codeOf(add({ name: 'd', cover: [kept] }, 'bea'))).toBe('taken');
    const known = await fileFor(here.db, kept.file, 'bea', async (uses) => {
      expect(uses).toEqual([{ table: 'score', column: 'cover' }]);
      return true;
    });
    expect(known.size).toBe(png.length);
  });

  it('is refused before it has come whole', async () => {
    const file = await begin(png.length, 'x.png');
    await patch(file, 0, new Uint8Array(png.subarray(0, 20)));
    const kept = { file, name: 'x.png', type: 'image/png', size: png.length };
    expect(await codeOf(add({ name: 'e', cover: [kept] }))).toBe('file_unknown');
  });

  it('keeps to the kinds, the size and the number of its column', async () => {
    const text = await handed(Buffer.from('words'), 'words.txt');
    expect(await codeOf(add({ name: 'f', cover: [text] }))).toBe('file_kind');
    const large = await handed(Buffer.alloc(5_000_001, 'a'), 'large.txt');
    expect(await codeOf(add({ name: 'f', scans: [large] }))).toBe('file_larger');
    const many = await Promise.all([1, 2, 3, 4].map((n) => handed(png, `${n}.png`)));
    expect(await codeOf(add({ name: 'f', scans: many }))).toBe('too_many_files');
  });
});

describe('what a column takes', () => {
  it('can be changed; files that stand there stay', async () => {
    const text = await handed(Buffer.from('words'), 'words.txt');
    const made = await add({ name: 'limits', scans: [text] });
    const only = { kinds: ['picture' as const], largest: 1000, most: 1 };
    await changeFiles(here.db, 'score', 'scans', only, 't');
    const all = await house();
    const stored = await readRecord(here.db, here.db.knex, all, await score(), made.id);
    expect(filesIn(stored.values.scans ?? null)).toEqual([text]);
    const later = await handed(Buffer.from('later'), 'later.txt');
    expect(await codeOf(add({ name: 'limits', scans: [later] }))).toBe('file_kind');
    const again = { name: 'limits again', scans: [text] };
    const table = await score();
    const saved = changeRecord(here.db, all, table, made.id, made.version, again, 'ada');
    expect(filesIn((await saved).values.scans ?? null)).toEqual([text]);
    const beside = { scans: [text, await handed(png, 'beside.png')] };
    const more = changeRecord(here.db, all, table, made.id, (await saved).version, beside, 'ada');
    expect(await codeOf(more)).toBe('too_many_files');
    const any = { kinds: [], largest: 5_000_000, most: 3 };
    await changeFiles(here.db, 'score', 'scans', any, 't');
    expect(await codeOf(add({ name: 'limits', scans: [text] }))).toBe('taken');
    expect(await codeOf(changeFiles(here.db, 'score', 'name', any, 't'))).toBe('unknown_column');
  });
});

describe('what belongs to no record', () => {
  it('is swept with its pieces, and nothing else is', async () => {
    const shared = randomBytes(1000);
    const lost = await handed(Buffer.concat([randomBytes(10)]), 'lost');
    const twin = await handed(shared, 'twin');
    const kept = await handed(shared, 'kept');
    await add({ name: 'kept', scans: [kept] });
    const drafted = await handed(randomBytes(9), 'drafted');
    const draft = { person: 'ada', form_key: 'f', record_id: 0, at: '2026-01-01' };
    await here.db
      .knex('entry_draft')
      .withSchema(here.db.catalog)
      .insert({ ...draft, content: JSON.stringify({ values: { scans: [drafted] } }) });
    expect(await sweepFiles(here.db)).toBe(0);
    expect(await sweepFiles(here.db, 0)).toBeGreaterThanOrEqual(2);
    expect(await whole(kept.file)).toEqual(shared);
    expect((await whole(drafted.file)).length).toBe(9);
    for (const { file } of [lost, twin]) {
      expect(await codeOf(fileFor(here.db, file, 'ada', async () => true))).toBe('file_not_here');
    }
    const orphans = await here.db.knex.raw(
      'select count(*) as n from ??.file_piece p left join ??.file_part q on q.hash = p.hash where q.hash is null',
      [here.db.catalog, here.db.catalog],
    );
    expect(Number(orphans[0][0].n)).toBe(0);
  });

  it('is what a column leaves behind; other names are carried', async () => {
    const { db } = here;
    await makeTable(db, table('part', [column('name'), filesColumn('old')]), 't');
    const kept = await handed(png, 'part.png');
    await addRecord(db, await house(), tableFrom(await house(), 'part'), { old: [kept] }, 'ada');
    await renameTableColumn(db, 'part', 'old', 'new', 't');
    await renameWholeTable(db, 'part', 'piece', 't');
    await addTableColumn(db, 'piece', column('more'), 't');
    const uses: unknown[] = [];
    const look = () =>
      fileFor(db, kept.file, 'x', async (found) => {
        uses.push(...found);
        return found.length > 0;
      });
    await look();
    expect(uses).toEqual([{ table: 'piece', column: 'new' }]);
    await removeColumn(db, 'piece', 'new', 't');
    expect(await codeOf(look())).toBe('file_not_here');
    expect(await sweepFiles(db, 0)).toBeGreaterThanOrEqual(1);
  });
});

describe('a package with files', () => {
  it('comes back as it was, and gives the same bytes again', async () => {
    const stream = (bytes: Uint8Array) => Readable.toWeb(Readable.from([bytes])) as ReadableStream;
    const taken = async ({ db }: typeof here) =>
      buffer(await writePackage(db, await loadTables(db), { tables: ['score'], whole: true }));
    const small = await receiveFile(
      here.db,
      { file: randomBytes(16).toString('hex'), name: 'small.png', by: 'ada' },
      Readable.from([png]),
    );
    const large = await handed(randomBytes(3 * pieceBytes + 5), 'scan.bin');
    const cover = await handed(png, 'cover.png');
    await add({ name: 'with files', cover: [{ ...cover, small: small.file }], scans: [large] });
    const first = await taken(here);
    await takePackageIn(there.db, stream(first), { drafts: false, by: 'zoe' });
    expect((await taken(there)).equals(first)).toBe(true);
    const all = await loadTables(there.db);
    expect(all.get('score')?.columns.map(({ type }) => type.kind)).toContain('files');
    // Beside what is there, files get names of their own.
    const { db } = here;
    await renameWholeTable(db, 'score', 'score_before', 't');
    await takePackageIn(db, stream(first), { drafts: false, by: 'zoe' });
    const sql = `select json_value(cover, '$[0].file') as a from ${tableSql(db, 'score')} where name = ?`;
    const [[row]] = await db.knex.raw(sql, ['with files']);
    expect(row.a).toMatch(/^[0-9a-f]{32}$/);
    expect(row.a).not.toBe(cover.file);
    expect(await whole(row.a)).toEqual(png);
  });
});
