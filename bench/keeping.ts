import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { pipeline } from 'node:stream/promises';
import { Readable } from 'node:stream';
import type { Plan } from '../src/core/plan/schema';
import { openedBeginning } from '../src/core/entry/beginning';
import { Entry } from '../src/core/entry/entry';
import { settle } from '../src/core/entry/settle';
import { clockFrom } from '../src/core/formula/clock';
import { loadEdition } from '../src/server/catalog/forms';
import { loadTables } from '../src/server/catalog/tables';
import { endDatabase, openDatabase, type Database } from '../src/server/database/connection';
import { rowsOf } from '../src/server/database/rows';
import { makeBackup } from '../src/server/keeping/backup';
import { lastDrift, together, type Judging } from '../src/server/keeping/drift';
import { judgingThreads } from '../src/server/keeping/drift-threads';
import { rehearsalOf, runRehearsal } from '../src/server/keeping/rehearse';
import { runAsRecorded } from '../src/core/rehearsal/run';
import type { Value } from '../src/core/values/types';
import { reaching, run } from '../src/server/keeping/programs';
import { databaseReader } from '../src/server/records/answers';
import { openRecord } from '../src/server/records/open';
import { knownForm } from '../src/server/records/wired';
import type { Connection } from 'mysql2/promise';
import { setTimeout as sleep } from 'node:timers/promises';
import { lending } from './lending';
import { asKeeper, at95, compare } from './measure';

const judged = 300;

/** Keeping: stored records held against their form, against opening each; a backup, against its programs alone. */
export async function keeping(bench: {
  url: string;
  address: string;
  connection: Connection;
}): Promise<void> {
  const { url } = bench;
  const db = openDatabase(url);
  const folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-bench-keeping-'));
  try {
    const threads = judgingThreads();
    await drift(db, threads);
    await driftInSql(db, threads);
    await threads.end();
    await beside(db, bench);
    await rehearsing(db);
    await backup(db, url, folder);
  } finally {
    fs.rmSync(folder, { recursive: true, force: true });
    await endDatabase(db);
  }
}

/** Has records judged as a run of drift has them judged: in its threads, some pages at once. */
async function judgeAll({ pages, judge }: Judging, plan: Plan, ids: readonly number[]) {
  const cut = Array.from({ length: Math.ceil(ids.length / together) }, (_, i) =>
    ids.slice(i * together, (i + 1) * together),
  );
  await Readable.from(cut)
    .map((some: number[]) => judge({ run: 1, plan, ids: some }), { concurrency: pages })
    .toArray();
}

async function drift(db: Database, threads: Judging): Promise<void> {
  const { plan } = await loadEdition(db, 'lend_music');
  const house = await loadTables(db);
  const form = knownForm(plan, house);
  const rows = await rowsOf(
    db.knex,
    `select id from \`${db.records}\`.loan order by id limit ${judged}`,
  );
  const ids = rows.map(({ id }) => Number(id));
  const ours = () => judgeAll(threads, plan, ids);
  const one = async () => {
    const around = { clock: clockFrom(() => new Date()), person: { name: 'b' }, link: {} };
    for (const id of ids) {
      const opened = await openRecord(db, db.knex, house, form, id);
      if (!opened) continue;
      const entry = new Entry(form, { ...openedBeginning(opened), around });
      await settle(entry, databaseReader(db, db.knex, house, form));
    }
  };
  await compare({
    ...{ name: 'drift', sizes: `${judged} loans with their lines, opened one by one`, runs: 5 },
    ...{ ours, reference: one },
  });
}

/** All loans judged by the engine, against hand-written SQL that asks the same of them. */
async function driftInSql(db: Database, threads: Judging): Promise<void> {
  const { plan } = await loadEdition(db, 'lend_music');
  const r = `\`${db.records}\``;
  const ids = (await rowsOf(db.knex, `select id from ${r}.loan order by id`)).map(({ id }) =>
    Number(id),
  );
  const ours = () => judgeAll(threads, plan, ids);
  const lines = `${r}.loan_line l join ${r}.loan p on p.id = l.loan
    join ${r}.ensemble e on e.id = p.ensemble`;
  const asked = [
    // What is required, checks of the loan.
    `select id from ${r}.loan where ensemble is null or purpose is null or weeks is null or lent_on is null
       or weeks not between 1 and 52 or due_on <= lent_on or (weeks > 12 and coalesce(note, '') = '')`,
    // What is brought and computed in its lines, and checks of them.
    `select l.id from ${lines} where l.copies < 1 or l.score is null or not l.fee <=>
       cast(e.weekly_rate * l.copies * p.weeks * if(p.weeks > 8, 0.9, 1) as decimal(12, 2))`,
    // What is in the store, by all movements of each score.
    `select l.id from ${r}.loan_line l join (
       select m.score, sum(if(m.kind in ('received', 'returned'), m.quantity, -m.quantity)) as n
       from ${r}.copy_movement m where m.score in (select score from ${r}.loan_line) group by m.score
     ) s on s.score = l.score where l.copies > s.n + l.copies`,
    // Sums over the lines, and what stands twice.
    `select p.id from ${r}.loan p left join ${r}.loan_line l on l.loan = p.id group by p.id
     having count(l.id) = 0 or count(distinct l.score) <> count(l.score) or not max(p.fee) <=> sum(l.fee)`,
  ];
  const reference = async () => {
    for (const sql of asked) await rowsOf(db.knex, sql);
  };
  await compare({
    ...{ name: 'drift-sql', sizes: `${ids.length} loans with their lines, hand-written SQL` },
    ...{ runs: 3, ours, reference },
  });
}

/** How long clerks wait for a save while the records of a large form are judged, against without. */
async function beside(
  db: Database,
  { address, connection }: { address: string; connection: Connection },
): Promise<void> {
  const { save } = await lending({ address, connection });
  const saves = async () => {
    const took: number[] = [];
    for (let i = 0; i < 150; i++) {
      const began = performance.now();
      const status = await save();
      if (status < 400) took.push(performance.now() - began);
      await sleep(20);
    }
    return at95(took);
  };
  await saves();
  const alone = await saves();
  const large = '/api/forms/receive_copies/drift';
  const begin = await fetch(`${address}${large}`, {
    method: 'POST',
    headers: { ...asKeeper(), origin: address, 'content-type': 'application/json' },
    body: JSON.stringify({ against: 'edition' }),
  });
  if (!begin.ok) throw new Error(await begin.text());
  await sleep(1500);
  const during = await saves();
  const last = await lastDrift(db, 'receive_copies');
  if (last?.state !== 'running') console.log('The run had ended before the clerks had.');
  await fetch(`${address}${large}`, {
    method: 'DELETE',
    headers: { ...asKeeper(), origin: address },
  });
  console.log(
    `bench save-beside-drift: ratio ${(during / alone).toFixed(2)} (p95 ${during.toFixed(0)} ms, without ${alone.toFixed(0)} ms; aim 1.5)`,
  );
}

/** A filled loan with ten lines, played as it was recorded, against the same on what is stored. */
async function rehearsing(db: Database): Promise<void> {
  const { plan } = await loadEdition(db, 'lend_music');
  const house = await loadTables(db);
  const form = knownForm(plan, house);
  const [borrower] = await rowsOf(
    db.knex,
    `select e.id as ensemble, t.id as town, t.region from \`${db.records}\`.ensemble e
     join \`${db.records}\`.town t on t.id = e.town limit 1`,
  );
  const put = (at: string, value: unknown) => ({ do: 'set' as const, at, value: value as Value });
  const steps = [
    ...['region', 'town', 'ensemble'].map((key) => put(key, Number(borrower?.[key]))),
    ...[put('purpose', 'concert'), put('weeks', 6)],
    ...Array.from({ length: 10 }, (_, i) => [
      { do: 'add' as const, grid: 'lines', within: '' },
      ...[put(`lines[${i}].score`, i + 1), put(`lines[${i}].copies`, 2)],
    ]).flat(),
  ];
  const stage = { db, house, plan };
  const filling = { steps, asked: {}, link: {}, record: null };
  const rehearsal = await rehearsalOf(stage, filling, { name: 'bench' });
  if (rehearsal.steps.length !== steps.length) throw new Error('steps were lost');
  await compare({
    ...{ name: 'rehearsal', sizes: 'a loan with ten lines, 35 steps; on what is stored', runs: 30 },
    ours: async () => {
      const { verdict, unheard } = await runAsRecorded(form, rehearsal);
      if (!verdict.holds || unheard.length > 0) throw new Error('it does not hold');
    },
    reference: () => runRehearsal(stage, rehearsal, 'now'),
  });
}

async function backup(db: Database, url: string, folder: string): Promise<void> {
  const file = path.join(folder, 'backup.zip');
  const ours = async () => void (await makeBackup(db, url, { file, check: false }));
  const alone = async () => {
    const { args, password } = reaching(url);
    const what = ['--single-transaction', '--quick', '--hex-blob', '--skip-lock-tables'];
    const dumping = run(
      'mariadb-dump',
      [...args, ...what, '--databases', db.catalog, db.records],
      password,
    );
    const packing = run('zstd', ['-c', '-q', '-3']);
    await Promise.all([
      pipeline(dumping.out, packing.in),
      pipeline(packing.out, fs.createWriteStream(path.join(folder, 'alone.sql.zst'))),
      dumping.ended,
      packing.ended,
    ]);
  };
  await compare({
    ...{ name: 'backup', sizes: 'the demo; mariadb-dump | zstd', runs: 5 },
    ...{ ours, reference: alone },
  });
}
