import { randomUUID } from 'node:crypto';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freePort, startMariadb, type OwnMariadb } from '../../scripts/mariadb.mjs';
import { startServer, type OwnServer } from '../../scripts/server.mjs';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { endDatabase, openDatabase, type Database } from '../../src/server/database/connection';
import { tableSql } from '../../src/server/database/ddl';
import { migrate } from '../../src/server/database/migrate';
import { field } from '../support/definitions';
import { keeperCookie } from '../support/keeper';
import { makeLending } from '../support/house';
import { linesPlan } from '../support/lending';

/** How often the server is killed; `UNISOR_KILLS=200` for the long run. */
const kills = Number(process.env.UNISOR_KILLS ?? 15);
const clerks = 6;

let folder: string;
let database: OwnMariadb;
let db: Database;
let server: OwnServer | null = null;
let cookie: string;
let score: number;
let done = false;

beforeAll(async () => {
  folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-killed-'));
  database = await startMariadb(folder);
  db = openDatabase(database.url);
  await migrate(db, database.url);
  score = (await makeLending(db))('score', 31);
  const plan = linesPlan();
  plan.sections[0]?.fields.push(field('note', { savesTo: 'note' }));
  await makeForm(db, { table: 'loan', key: 'lines', plan }, 'test');
  await publishForm(db, 'lines', 1, 'test');
  cookie = await keeperCookie(db);
  server = await start();
}, 60_000);

afterAll(async () => {
  await server?.stop();
  await endDatabase(db);
  await database.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

async function start(): Promise<OwnServer> {
  const port = await freePort();
  return startServer({ url: database.url, port, log: 'silent', output: 'ignore' });
}

interface Submission {
  submission: string;
  edition: number;
  values: object;
  rows: object;
  record?: { id: number; version: number };
}

interface Sent {
  submission: string;
  acknowledged: boolean;
  loan: number | null;
}

/** A clerk's own loan: weeks always says how many lines it has, the note which save wrote it. */
async function clerk(sent: Sent[]): Promise<void> {
  let loan: OpenedLoan | null = null;
  while (!done) {
    const submission = randomUUID();
    const added = 1 + Math.floor(Math.random() * 4);
    const weeks: number = (loan?.lines.length ?? 0) + added;
    const fresh = Array.from({ length: added }, () => ({ values: { score, copies: 1 } }));
    const kept: object[] = (loan?.lines ?? []).map((line) => ({ ...line, values: {} }));
    const body: Submission = {
      submission,
      edition: 1,
      values: { weeks, note: submission },
      rows: { lines: [...kept, ...fresh] },
      ...(loan ? { record: { id: loan.id, version: loan.version } } : {}),
    };
    const record: Sent = { submission, acknowledged: false, loan: loan?.id ?? null };
    sent.push(record);
    // Some give up at once, others send the same again until it is answered.
    const retries = Math.random() < 0.7;
    do {
      record.loan = (await post(body)) ?? record.loan;
      record.acknowledged = record.loan !== null && acknowledged.has(submission);
    } while (!record.acknowledged && retries && !done);
    const read: OpenedLoan | null =
      record.acknowledged && record.loan !== null && weeks < 30 ? await open(record.loan) : null;
    loan = read;
  }
}

const acknowledged = new Set<string>();

async function post(body: Submission): Promise<number | null> {
  try {
    const response = await fetch(`${server?.address}/api/forms/lines/entries`, {
      method: 'POST',
      headers: { cookie, origin: server?.address ?? '', 'content-type': 'application/json' },
      body: JSON.stringify(body),
      signal: AbortSignal.timeout(5000),
    });
    const answer = (await response.json()) as {
      receipt?: { records: { table: string; id: number }[] };
    };
    if (response.status !== 201) return await pause();
    acknowledged.add(body.submission);
    return body.record?.id ?? answer.receipt?.records.find((r) => r.table === 'loan')?.id ?? null;
  } catch {
    return await pause();
  }
}

async function pause(): Promise<null> {
  await sleep(20);
  return null;
}

interface OpenedLoan {
  id: number;
  version: number;
  lines: { id: number; version: number }[];
}

async function open(id: number): Promise<OpenedLoan | null> {
  try {
    const response = await fetch(`${server?.address}/api/forms/lines/records/${id}`, {
      headers: { cookie },
    });
    const { opened } = (await response.json()) as {
      opened: {
        stored: { id: number; version: number };
        rows: { lines: { stored: { id: number; version: number } }[] };
      };
    };
    const plain = ({ id, version }: { id: number; version: number }) => ({ id, version });
    return { ...plain(opened.stored), lines: opened.rows.lines.map(({ stored }) => plain(stored)) };
  } catch {
    return null;
  }
}

describe('F1, F3 a server that is killed while clerks save', () => {
  it(`leaves nothing half there, loses nothing it has acknowledged, doubles nothing (${kills} kills)`, async () => {
    const sent: Sent[] = [];
    const working = Array.from({ length: clerks }, () => clerk(sent));
    for (let i = 0; i < kills; i++) {
      // At a random moment of its work: a server that has only just begun has nothing to lose.
      const before = acknowledged.size;
      for (let n = 0; n < 100 && acknowledged.size <= before; n++) await sleep(20);
      await sleep(Math.random() * 250);
      await server?.stop('SIGKILL');
      server = await start();
    }
    await sleep(300);
    done = true;
    await Promise.all(working);
    const all = async (sql: string) => (await db.knex.raw(sql))[0] as Record<string, unknown>[];
    const loan = tableSql(db, 'loan');
    const line = tableSql(db, 'loan_line');

    const halves = await all(
      `select l.id, l.weeks, count(x.id) as n from ${loan} l left join ${line} x on x.loan = l.id group by l.id, l.weeks having n <> l.weeks`,
    );
    expect(halves).toEqual([]);
    const orphans = await all(
      `select x.id from ${line} x left join ${loan} l on l.id = x.loan where l.id is null`,
    );
    expect(orphans).toEqual([]);

    // Every save is in the journal once, and what it wrote is what the journal says.
    const heads = await all(
      `select submission, record_id as id from ${db.catalog}.journal where form_key = 'lines' and save = submission`,
    );
    const known = new Map(heads.map((row) => [String(row.submission), Number(row.id)]));
    expect(heads.filter(({ id }) => id === null)).toEqual([]);
    const lost = [...acknowledged].filter((submission) => !known.has(submission));
    expect(lost).toEqual([]);
    expect(acknowledged.size).toBeGreaterThan(kills);
    const doubled = await all(`select note, count(*) as n from ${loan} group by note having n > 1`);
    expect(doubled).toEqual([]);

    // The loan is as the last save of it left it, acknowledged or not.
    const loans = await all(`select id, note from ${loan}`);
    const last = new Map<number, string>();
    for (const { submission } of sent) {
      const id = known.get(submission);
      if (id !== undefined) last.set(id, submission);
    }
    expect(loans.filter(({ id, note }) => last.get(Number(id)) !== note)).toEqual([]);
    const unanswered = sent.filter((s) => !s.acknowledged && known.has(s.submission)).length;
    console.log(
      `  ${kills} kills, ${sent.length} saves sent, ${acknowledged.size} acknowledged, ${unanswered} written without an answer`,
    );
  }, 900_000);
});
