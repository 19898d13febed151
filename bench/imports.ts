import { createReadStream, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { once } from 'node:events';
import { Worker } from 'node:worker_threads';
import os from 'node:os';
import path from 'node:path';
import { parse } from 'csv-parse';
import { stringify } from 'csv-stringify/sync';
import type { Connection } from 'mysql2/promise';
import { demoTables } from '../demo/tables';
import { setTimeout as sleep } from 'node:timers/promises';
import { asKeeper, compare } from './measure';

const large = process.env.UNISOR_BENCH_LARGE === '1';
const rows = large ? 1_000_000 : 100_000;
const runs = large ? 1 : 3;

/** A CSV file of 100,000 scores, or of a million on the large demo, through HTTP: looked through against a bare parser, brought in against LOAD DATA. */
export async function imports(bench: { address: string; connection: Connection }): Promise<void> {
  await readsBeside(bench.address);
  const folder = mkdtempSync(path.join(os.tmpdir(), 'unisor-bench-csv-'));
  const file = path.join(folder, 'scores.csv');
  const scores = demoTables({ scores: rows, instruments: 1, reports: 0, loans: 1, sheets: 0 }).find(
    (t) => t.key === 'score',
  );
  if (!scores) throw new Error('no scores');
  writeFileSync(file, stringify([scores.columns.map((c) => c.key), ...scores.rows()]));
  const sizes = `${rows.toLocaleString('en')} rows, 6 columns`;
  try {
    const body = new Blob([await readFile(file)]);
    await compare({
      name: 'csv-examine',
      sizes,
      runs,
      ours: () => examine(bench.address, body),
      reference: () => parseOnly(file),
    });
    const examined = await examine(bench.address, body);
    let n = 0;
    await compare({
      name: 'csv-import',
      sizes,
      runs,
      ours: async () => {
        await bringIn(bench.address, body, examined, `bench_${++n}`);
        await drop(bench.connection, `bench_${n}`);
      },
      reference: () => loadData(bench.connection, file),
    });
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/**
 * Small reads of others while a million rows are looked through, against those of a quiet server. They are made by a
 * thread of their own: whoever sends so large a file is busy with it.
 */
async function readsBeside(address: string): Promise<void> {
  const many = 1_000_000;
  const line = (i: number) => `SC-${i},Evening piece no. ${i},Composer ${i % 900},${i % 7},${i}\n`;
  const lines = Array.from({ length: many }, (_, i) => line(i)).join('');
  const body = new Blob([`code,title,composer,difficulty,pages\n${lines}`]);
  const quiet = await readsDuring(address, () => sleep(5000));
  const busy = await readsDuring(address, () => examine(address, body));
  const [alone, beside] = [at99(quiet), at99(busy)];
  console.log(
    `bench reads-while-examining: ratio ${(beside / alone).toFixed(2)} (p99 ${beside.toFixed(1)} ms beside, ${alone.toFixed(1)} ms alone; ${many.toLocaleString('en')} rows, n=${busy.length}; aim at most 50 ms)`,
  );
}

/** How long small reads take, one every 20 ms, while something is done. Milliseconds. */
async function readsDuring(address: string, work: () => Promise<unknown>): Promise<number[]> {
  const reader = new Worker(
    `const { parentPort, workerData } = require('node:worker_threads');
     const times = [];
     let over = false;
     parentPort.once('message', () => (over = true));
     (async () => {
       while (!over) {
         const began = performance.now();
         await (await fetch(workerData + '/api/tables/town/records?limit=20', { headers: { cookie: process.env.UNISOR_COOKIE ?? '' } })).text();
         times.push(performance.now() - began);
         await new Promise((done) => setTimeout(done, 20));
       }
       parentPort.postMessage(times);
     })();`,
    { eval: true, workerData: address },
  );
  await work();
  reader.postMessage('end');
  const [times] = (await once(reader, 'message')) as [number[]];
  await reader.terminate();
  return times;
}

function at99(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length * 0.99)] ?? Number.NaN;
}

interface Examined {
  columns: { key: string; unique: boolean }[];
  delimiter: string;
}

const csv = { 'content-type': 'text/csv' };

async function examine(address: string, body: Blob): Promise<Examined> {
  const url = `${address}/api/imports/examine`;
  const response = await fetch(url, {
    method: 'POST',
    headers: { ...asKeeper(), origin: address, ...csv },
    body,
  });
  return (await response.json()) as Examined;
}

/** The same parser with nothing behind it. */
async function parseOnly(file: string): Promise<void> {
  const parser = createReadStream(file).pipe(parse());
  parser.resume();
  await once(parser, 'end');
  const read = parser.info.records;
  if (read !== rows + 1) throw new Error(`read ${read}`);
}

async function bringIn(
  address: string,
  body: Blob,
  { columns, delimiter }: Examined,
  key: string,
): Promise<void> {
  const wanted = columns.map((column) => ({ ...column, unique: column.key === 'code' }));
  const target = { kind: 'new', key, title: key, display: ['code'] };
  const definition = { target, columns: wanted, delimiter, cells: columns.length };
  const opened = await fetch(`${address}/api/imports`, {
    method: 'POST',
    headers: { ...asKeeper(), origin: address, 'content-type': 'application/json' },
    body: JSON.stringify(definition),
  });
  const { id } = (await opened.json()) as { id: string };
  const sent = await fetch(`${address}/api/imports/${id}/file`, {
    method: 'PUT',
    headers: { ...asKeeper(), origin: address, ...csv },
    body,
  });
  const last = (await sent.text()).trim().split('\n').at(-1) ?? '';
  if (!last.includes(`"written":${rows}`)) throw new Error(`the import failed: ${last}`);
}

async function drop(connection: Connection, key: string): Promise<void> {
  await connection.query(`drop table unisor_records.${key}`);
  await connection.query('delete from unisor.table_def where table_key = ?', [key]);
}

async function loadData(connection: Connection, file: string): Promise<void> {
  await connection.query('drop table if exists unisor_records.bench_reference');
  await connection.query(
    `create table unisor_records.bench_reference (id bigint unsigned not null auto_increment primary key,
      code varchar(12) unique, title varchar(120), composer varchar(80), era varchar(20),
      difficulty bigint, pages bigint, row_version int unsigned not null default 1,
      created_at datetime default now(), created_by varchar(100) default 'x',
      updated_at datetime default now(), updated_by varchar(100) default 'x')`,
  );
  await connection.query({
    sql: `load data local infile 'scores' into table unisor_records.bench_reference
      character set utf8mb4 fields terminated by ',' optionally enclosed by '"'
      lines terminated by '\\n' ignore 1 lines (code, title, composer, era, difficulty, pages)`,
    infileStreamFactory: () => createReadStream(file),
  });
  await connection.query('drop table unisor_records.bench_reference');
}
