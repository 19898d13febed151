import { randomBytes, randomUUID } from 'node:crypto';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { Readable } from 'node:stream';
import exceljs from 'exceljs';
import { createConnection as createPlain } from 'mysql2';
import type { Connection } from 'mysql2/promise';
import { retypeColumn } from '../src/server/catalog/retype';
import { loadTables, makeTable, tableFrom } from '../src/server/catalog/tables';
import { endDatabase, openDatabase, type Database } from '../src/server/database/connection';
import { migrate } from '../src/server/database/migrate';
import { receiveFile } from '../src/server/files/hand-in';
import { bytesOf } from '../src/server/files/pieces';
import { takeOut } from '../src/server/out/records';
import { examineFile } from '../src/server/records/examine';
import { openImport, runImport } from '../src/server/records/import';
import { matchInHouse } from '../src/server/records/matches';
import { compare } from './measure';

const sheetRows = 100_000;
const tableRows = 1_000_000;
const retyped = 60_000;
const fileBytes = 100 * 1024 ** 2;

const text = { kind: 'text', format: 'plain', length: 80 } as const;
const column = (key: string, type: object = text) =>
  ({ key, label: key, type, required: false, unique: false }) as never;

/** Tables that grow: spreadsheets in, a million rows out, a column of another type, a large file in and out. */
export async function growing({ url }: { connection: Connection; url: string }): Promise<void> {
  const db = openDatabase(url, 'bench_growing');
  const drop = async () => {
    for (const schema of [db.records, db.catalog])
      await db.knex.raw('drop database if exists ??', [schema]);
  };
  await drop();
  await migrate(db, url);
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-bench-growing-'));
  try {
    await rowsOut(db, url);
    await otherType(db);
    await proposals(db);
    await sheetIn(db, path.join(folder, 'rows.xlsx'));
    await largeFile(db, path.join(folder, 'large.bin'));
  } finally {
    fs.rmSync(folder, { recursive: true, force: true });
    await drop();
    await endDatabase(db);
  }
}

const at = (db: Database, table: string) => `\`${db.records}\`.\`${table}\``;

/** A million rows as CSV, against the driver streaming the same. */
async function rowsOut(db: Database, url: string): Promise<void> {
  const columns = [column('code'), column('title'), column('pages', { kind: 'whole' })];
  const fee = column('fee', { kind: 'decimal', precision: 10, scale: 2 });
  const key = { key: 'score', title: 'Score', display: ['code'], indexes: [] };
  await makeTable(db, { ...key, columns: [...columns, fee] }, 'bench');
  await db.knex.raw(
    `set statement max_statement_time = 0 for insert into ${at(db, 'score')} (code, title, pages, fee, created_by, updated_by)
     select concat('SC-', seq), concat('Evening piece no. ', seq), seq % 90, seq % 1000 / 4, 'b', 'b'
     from mysql.seq_1_to_${tableRows}`,
  );
  const all = await loadTables(db);
  const table = tableFrom(all, 'score');
  let most = 0;
  const ours = async () => {
    const wish = { format: 'csv', references: 'names', filter: [], sort: [] } as const;
    let bytes = 0;
    const before = process.memoryUsage().rss;
    for await (const chunk of takeOut(db, all, table, wish as never)) {
      bytes += (chunk as Buffer).length;
      most = Math.max(most, process.memoryUsage().rss - before);
    }
    if (bytes < tableRows * 20) throw new Error(`took out ${bytes} bytes`);
  };
  await compare({
    ...{ name: 'export-csv', sizes: `${tableRows.toLocaleString('en')} rows, 4 columns`, runs: 3 },
    ours,
    reference: () => streamed(db, url),
  });
  console.log(`bench export-memory: ${Math.round(most / 1024 ** 2)} MB more while it ran`);
}

async function streamed(db: Database, url: string): Promise<void> {
  const plain = createPlain({ uri: url, dateStrings: true });
  try {
    const rows = plain
      .query(`select id, code, title, pages, fee from ${at(db, 'score')} order by id`)
      .stream();
    let count = 0;
    for await (const row of rows) if (row) count++;
    if (count !== tableRows) throw new Error(`streamed ${count}`);
  } finally {
    plain.end();
  }
}

/** A column of texts becomes one of days, and one of the house's references, against the bare ALTER. */
async function otherType(db: Database): Promise<void> {
  const make = async (key: string) => {
    const table = { key, title: key, display: ['on_day'], indexes: [] };
    await makeTable(db, { ...table, columns: [column('on_day'), column('note')] }, 'bench');
    await db.knex.raw(
      `insert into ${at(db, key)} (on_day, note, created_by, updated_by)
       select date_add('2000-01-01', interval seq % 9000 day), concat('note ', seq), 'b', 'b'
       from mysql.seq_1_to_${retyped}`,
    );
  };
  let n = 0;
  await make('plain');
  await compare({
    ...{ name: 'retype', sizes: `${retyped.toLocaleString('en')} rows, text to date`, runs: 3 },
    warm: 1,
    ours: async () => {
      const key = `typed_${++n}`;
      await make(key);
      const began = performance.now();
      const wish = { type: { kind: 'date' }, required: false, unique: false };
      const more = { by: null, corrections: {}, empties: false };
      await retypeColumn(db, key, 'on_day', { ...wish, ...more } as never, 'bench');
      retypeTook.push(performance.now() - began);
    },
    reference: async () => {
      await db.knex.raw(`create table ${at(db, 'bare')} like ${at(db, 'plain')}`);
      await db.knex.raw(`insert into ${at(db, 'bare')} select * from ${at(db, 'plain')}`);
      const began = performance.now();
      await db.knex.raw(`alter table ${at(db, 'bare')} modify on_day date`);
      alterTook.push(performance.now() - began);
      await db.knex.raw(`drop table ${at(db, 'bare')}`);
    },
  });
  const [ours, bare] = [middle(retypeTook), middle(alterTook)];
  console.log(
    `bench retype-alone: ratio ${(ours / bare).toFixed(2)} (ours ${ours.toFixed(0)} ms, the bare ALTER ${bare.toFixed(0)} ms; without making the table)`,
  );
}

const retypeTook: number[] = [];
const alterTook: number[] = [];

function middle(times: readonly number[]): number {
  return [...times].sort((a, b) => a - b)[Math.floor(times.length / 2)] ?? Number.NaN;
}

/** Which of the house's columns hold the values of a file, looked for among 60,000 names. */
async function proposals(db: Database): Promise<void> {
  const table = { key: 'piece', title: 'Piece', display: ['name'], indexes: [] };
  await makeTable(
    db,
    { ...table, columns: [{ ...(column('name') as object), unique: true } as never] },
    'bench',
  );
  await db.knex.raw(
    `insert into ${at(db, 'piece')} (name, created_by, updated_by)
     select concat('Piece ', seq), 'b', 'b' from mysql.seq_1_to_${retyped}`,
  );
  const all = await loadTables(db);
  const values = Array.from({ length: 500 }, (_, i) => `Piece ${i * 100 + 1}`);
  await compare({
    ...{ name: 'propose-references', sizes: '500 values among 60,000 names', runs: 15 },
    ours: async () => {
      const [found] = await matchInHouse(db, all, [values]);
      if (found?.[0]?.table !== 'piece') throw new Error('nothing was found');
    },
    reference: () =>
      db.knex.raw(
        `select count(*) from ${at(db, 'piece')} where name in (${values.map(() => '?')})`,
        values,
      ),
  });
}

/** A spreadsheet in, against the bare library reading it. */
async function sheetIn(db: Database, file: string): Promise<void> {
  const book = new exceljs.stream.xlsx.WorkbookWriter({ filename: file });
  const sheet = book.addWorksheet('rows');
  sheet.addRow(['code', 'title', 'composer', 'pages', 'fee', 'on']).commit();
  for (let i = 0; i < sheetRows; i++) {
    const day = new Date(Date.UTC(2020, 0, 1 + (i % 2000)));
    sheet
      .addRow([`SC-${i}`, `Evening piece no. ${i}`, `Composer ${i % 900}`, i % 90, i / 4, day])
      .commit();
  }
  sheet.commit();
  await book.commit();
  const { columns, delimiter } = await examineFile(fs.createReadStream(file));
  let n = 0;
  await compare({
    ...{ name: 'xlsx-import', sizes: `${sheetRows.toLocaleString('en')} rows, 6 columns`, runs: 3 },
    ours: async () => {
      const key = `sheet_${++n}`;
      const target = { kind: 'new' as const, key, title: key, display: ['code'] };
      const definition = { target, columns, delimiter, cells: columns.length };
      const id = await openImport(
        db,
        { ...definition, rejected: 'refuse', corrections: [] },
        'bench',
      );
      const { written } = await runImport(db, id, fs.createReadStream(file), 'bench');
      if (written !== sheetRows) throw new Error(`wrote ${written}`);
    },
    reference: async () => {
      const options = { worksheets: 'emit', sharedStrings: 'cache', styles: 'cache' } as const;
      const reader = new exceljs.stream.xlsx.WorkbookReader(file, options as never);
      let count = 0;
      for await (const one of reader) for await (const row of one) if (row.values) count++;
      if (count !== sheetRows + 1) throw new Error(`read ${count}`);
    },
  });
}

/** A file of 100 MB in and out, against the same bytes to disk and back. */
async function largeFile(db: Database, file: string): Promise<void> {
  const chunk = 64 * 1024;
  const bytes = randomBytes(fileBytes);
  const pieces = () =>
    Readable.from(
      (function* () {
        for (let i = 0; i < bytes.length; i += chunk) yield bytes.subarray(i, i + chunk);
      })(),
      { objectMode: false },
    );
  let last = '';
  await compare({
    ...{ name: 'file-in', sizes: '100 MB, in 64 kB', runs: 3 },
    ours: async () => {
      // Other bytes each time: pieces that are there already need not be written.
      bytes.writeUInt32LE(Math.random() * 2 ** 32);
      for (let i = 0; i < bytes.length; i += 1024 ** 2)
        bytes.writeUInt32LE(Math.random() * 2 ** 32, i);
      last = randomUUID().replaceAll('-', '');
      await receiveFile(db, { file: last, name: 'large.bin', by: 'bench' }, pieces());
    },
    reference: async () => {
      const handle = await fs.promises.open(file, 'w');
      for await (const piece of pieces()) await handle.write(piece as Buffer);
      await handle.sync();
      await handle.close();
    },
  });
  await compare({
    ...{ name: 'file-out', sizes: '100 MB', runs: 3 },
    ours: async () => {
      let length = 0;
      for await (const piece of bytesOf(db, last)) length += piece.length;
      if (length !== fileBytes) throw new Error(`gave ${length}`);
    },
    reference: async () => {
      let length = 0;
      for await (const piece of fs.createReadStream(file)) length += (piece as Buffer).length;
      if (length !== fileBytes) throw new Error(`gave ${length}`);
    },
  });
}
