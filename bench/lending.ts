import { randomUUID } from 'node:crypto';
import type { Connection } from 'mysql2/promise';
import { post } from './measure';

const records = 'unisor_records';
/** Lines of a loan. */
const lines = 2;

/** So many saves make a server warm: its time for one has come down to a third by then, and stays there. */
const mostWarm = 3000;

/** Loans of what is in store, as a clerk saves them over HTTP; gives the status. */
export async function lending({
  address,
  connection,
}: {
  address: string;
  connection: Connection;
}) {
  const [[borrower]] = (await connection.query(
    `select e.id as ensemble, t.id as town, t.region from ${records}.ensemble e join ${records}.town t on t.id = e.town limit 1`,
  )) as unknown as [[{ ensemble: number; town: number; region: number }]];
  const [rows] = (await connection.query(
    `select r.id from ${records}.score r join ${records}.copy_movement m on m.score = r.id
     group by r.id having sum(if(m.kind in ('received', 'returned'), m.quantity, -m.quantity)) > 30
     order by r.id limit 2000`,
  )) as unknown as [{ id: number }[]];
  const scores = rows.map(({ id }) => id);
  const some = () =>
    Array.from({ length: lines }, () => scores[Math.floor(Math.random() * scores.length)] ?? 0)
      .filter((id, i, all) => all.indexOf(id) === i)
      .sort((a, b) => a - b);
  const save = async (): Promise<number> => {
    const body = {
      submission: randomUUID(),
      edition: 1,
      values: { ...borrower, purpose: 'concert', weeks: 2, lent_on: '2026-11-02' },
      rows: { lines: some().map((score) => ({ values: { score, copies: 1 } })) },
    };
    const response = await post(address, '/api/forms/lend_music/entries', body);
    await response.text();
    return response.status;
  };
  /** What was lent comes back: there is something to lend again. */
  const giveBack = async () => {
    await connection.query(
      `delete from ${records}.copy_movement where moved_on = '2026-11-02' and quantity = 1 and kind = 'lent'`,
    );
  };
  /** A server compiles what it runs often; it is measured when it has done so. */
  const warmUp = async () => {
    let left = mostWarm;
    const client = async () => {
      while (left-- > 0) await save();
    };
    await Promise.all(Array.from({ length: 6 }, client));
    await giveBack();
  };
  return { borrower, some, save, warmUp, giveBack };
}
