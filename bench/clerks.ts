import { lending } from './lending';
import { at95, post } from './measure';
import { randomUUID } from 'node:crypto';
import { setTimeout as sleep } from 'node:timers/promises';
import { createPool, type Connection, type ResultSetHeader } from 'mysql2/promise';

interface Bench {
  address: string;
  connection: Connection;
  url: string;
}

const records = 'unisor_records';
const catalog = 'unisor';
/** Seconds for which each number of clients saves, or writes in SQL. */
const seconds = 8;

/**
 * Saves per second from several clients at once (code column, limits, journal) against bare transactions of the
 * same rows from as many connections; and many clerks who think in between, against one alone. The clerks take
 * three minutes: `UNISOR_CLERKS=0` leaves them out.
 */
export async function clerks({ address, connection, url }: Bench): Promise<void> {
  const { borrower, some, save, warmUp } = await lending({ address, connection });
  const pool = createPool({ uri: url, connectionLimit: 50 });
  const raw = async (): Promise<number> => {
    const own = await pool.getConnection();
    try {
      await own.beginTransaction();
      const [next] = await own.query<ResultSetHeader>(
        `update ${catalog}.code_counter set last = last_insert_id(last + 1) where table_key = 'loan' limit 1`,
      );
      const [loan] = await own.query<ResultSetHeader>(
        `insert into ${records}.loan (number, ensemble, weeks, purpose, lent_on, created_by, updated_by) values (?, ?, 2, 'concert', '2026-11-02', 'bench', 'bench')`,
        [`R-${next.insertId}-${randomUUID().slice(0, 6)}`, borrower.ensemble],
      );
      const chosen = some();
      await own.query(
        `insert into ${records}.loan_line (loan, score, copies, created_by, updated_by) values ?`,
        [chosen.map((score) => [loan.insertId, score, 1, 'bench', 'bench'])],
      );
      await own.query(
        `insert into ${records}.copy_movement (score, kind, quantity, moved_on, created_by, updated_by) values ?`,
        [chosen.map((score) => [score, 'lent', 1, '2026-11-02', 'bench', 'bench'])],
      );
      await own.commit();
      return 201;
    } catch {
      await own.rollback();
      return 500;
    } finally {
      own.release();
    }
  };
  const empty = async (): Promise<number> => {
    const response = await post(address, '/api/forms/lend_music/read', {
      edition: 1,
      values: borrower,
      rows: {},
      asks: [],
    });
    await response.text();
    return response.status;
  };
  await warmUp();
  for (let i = 0; i < 60; i++) await Promise.all([empty(), raw()]);
  if (process.env.UNISOR_CLERKS !== '0') await thinking(save);
  for (const clients of [1, 12, 50]) {
    const theirs = await perSecond(clients, raw);
    // What the bare transactions have lent comes back: they ask for no limit, and would leave nothing to lend.
    for (const table of ['copy_movement', 'loan_line', 'loan'])
      await connection.query(`delete from ${records}.${table} where created_by = 'bench'`);
    const ours = await perSecond(clients, save);
    const nothing = await perSecond(clients, empty);
    const rate = ({ done }: Counted) => (done / seconds).toFixed(0);
    const ratio = ours.done / theirs.done;
    console.log(
      `bench saves-per-second-${clients}: ratio ${ratio.toFixed(3)} (ours ${rate(ours)}, reference ${rate(theirs)} a second, empty requests ${rate(nothing)}; errors ${ours.failed}, reference ${theirs.failed}; refused ${ours.refused}; aim at least 0.5)`,
    );
  }
  await pool.end();
}

interface Counted {
  done: number;
  refused: number;
  failed: number;
}

async function perSecond(clients: number, work: () => Promise<number>): Promise<Counted> {
  const counted = { done: 0, refused: 0, failed: 0 };
  const end = performance.now() + seconds * 1000;
  const client = async () => {
    while (performance.now() < end) {
      const status = await work();
      if (status >= 500) counted.failed++;
      else if (status >= 400) counted.refused++;
      else counted.done++;
    }
  };
  await Promise.all(Array.from({ length: clients }, client));
  return counted;
}

/** 200 clerks who think for 8 seconds, for three minutes, against one alone. */
async function thinking(save: () => Promise<number>): Promise<void> {
  const alone: number[] = [];
  for (let i = 0; i < 40; i++) {
    alone.push(await timed(save, () => undefined));
    await sleep(50);
  }
  const many: number[] = [];
  let failed = 0;
  const note = (status: number) => {
    if (status >= 500) failed++;
  };
  const end = performance.now() + 180_000;
  const clerk = async () => {
    await sleep(Math.random() * 8000);
    while (performance.now() < end) {
      many.push(await timed(save, note));
      await sleep(6000 + Math.random() * 4000);
    }
  };
  await Promise.all(Array.from({ length: 200 }, clerk));
  const [one, all] = [at95(alone), at95(many)];
  console.log(
    `bench clerks-200: ratio ${(all / one).toFixed(2)} (p95 ${all.toFixed(0)} ms, alone ${one.toFixed(0)} ms; ${many.length} saves, errors ${failed}; aim 5)`,
  );
}

async function timed(work: () => Promise<number>, note: (status: number) => void): Promise<number> {
  const began = performance.now();
  note(await work());
  return performance.now() - began;
}
