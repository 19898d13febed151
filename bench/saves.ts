import { randomUUID } from 'node:crypto';
import type { Connection, ResultSetHeader } from 'mysql2/promise';
import { lending } from './lending';
import { asKeeper, compare, post } from './measure';

interface Bench {
  address: string;
  connection: Connection;
}

const records = 'unisor_records';
const lines = 100;

/** A parent with its rows through HTTP against the same rows in multi-row SQL, and opening many rows. */
export async function saves({ address, connection }: Bench): Promise<void> {
  const [[borrower]] = (await connection.query(
    `select e.id as ensemble, t.id as town, t.region from ${records}.ensemble e join ${records}.town t on t.id = e.town limit 1`,
  )) as unknown as [[{ ensemble: number; town: number; region: number }]];
  const { ensemble } = borrower;
  const scores = await ids(
    connection,
    `select r.id from ${records}.score r join ${records}.copy_movement m on m.score = r.id
     group by r.id having sum(if(m.kind in ('received', 'returned'), m.quantity, -m.quantity)) > 20
     order by r.id limit 2000`,
  );
  const { warmUp, giveBack } = await lending({ address, connection });
  await warmUp();
  let turn = 0;
  const next = () => scores.slice((turn++ % 15) * lines).slice(0, lines);
  const made: number[] = [];
  const lend = async (rows: readonly number[]) => {
    const body = {
      submission: randomUUID(),
      edition: 1,
      values: { ...borrower, purpose: 'concert', weeks: 2, lent_on: '2026-11-02' },
      rows: { lines: rows.map((score) => ({ values: { score, copies: 1 } })) },
    };
    const response = await post(address, '/api/forms/lend_music/entries', body);
    const answer = (await response.json()) as { receipt?: { records: { id: number }[] } };
    const written = answer.receipt?.records ?? [];
    if (written.length !== 2 * rows.length + 1) throw new Error(JSON.stringify(answer));
    made.push(written[0]?.id ?? 0);
  };
  await compare({
    name: 'save-parent-100-rows',
    sizes: '1 loan, 100 lines, 100 movements, with all checks, limits, journal',
    runs: 40,
    warm: 60,
    ours: () => lend(next()),
    reference: async () => {
      const chosen = next();
      await connection.beginTransaction();
      const [loan] = await connection.query<ResultSetHeader>(
        `insert into ${records}.loan (number, ensemble, weeks, purpose, lent_on, created_by, updated_by) values (?, ?, 2, 'concert', '2026-11-02', 'bench', 'bench')`,
        [`B-${randomUUID().slice(0, 8)}`, ensemble],
      );
      made.push(loan.insertId);
      await connection.query(
        `insert into ${records}.loan_line (loan, score, copies, created_by, updated_by) values ?`,
        [chosen.map((score) => [loan.insertId, score, 1, 'bench', 'bench'])],
      );
      await connection.query(
        `insert into ${records}.copy_movement (score, kind, quantity, moved_on, created_by, updated_by) values ?`,
        [chosen.map((score) => [score, 'lent', 1, '2026-11-02', 'bench', 'bench'])],
      );
      await connection.commit();
    },
  });
  await lend(scores);
  const large = made.at(-1) ?? 0;
  await compare({
    name: 'open-2000-rows',
    sizes: `a loan with ${scores.length} lines, all its fields`,
    runs: 40,
    warm: 20,
    ours: async () => {
      const response = await fetch(`${address}/api/forms/lend_music/records/${large}`, {
        headers: asKeeper(),
      });
      const { opened } = (await response.json()) as { opened: { rows: { lines: unknown[] } } };
      if (opened.rows.lines.length !== scores.length) throw new Error('lines are missing');
    },
    reference: async () => {
      await connection.query(`select * from ${records}.loan where id = ?`, [large]);
      const [rows] = await connection.query(`select * from ${records}.loan_line where loan = ?`, [
        large,
      ]);
      JSON.parse(JSON.stringify(rows));
    },
  });
  const marks = made.map(() => '?').join(', ');
  await connection.query(`delete from ${records}.loan_line where loan in (${marks})`, made);
  await connection.query(`delete from ${records}.loan where id in (${marks})`, made);
  await giveBack();
}

async function ids(connection: Connection, sql: string): Promise<number[]> {
  const [rows] = await connection.query(sql);
  return (rows as { id: number }[]).map(({ id }) => id);
}
