import { randomUUID } from 'node:crypto';
import type { Connection } from 'mysql2/promise';
import { endDatabase, openDatabase } from '../src/server/database/connection';
import { sessionOf } from '../tests/support/keeper';
import { asKeeper, compare } from './measure';

interface Bench {
  address: string;
  connection: Connection;
  url: string;
}

const records = 'unisor_records';

/** Reads and saves of a clerk with rights by record, against the same by a keeper, who sees everything. */
export async function rights({ address, connection, url }: Bench): Promise<void> {
  const db = openDatabase(url);
  const clerk = { cookie: await sessionOf(db, 'Brida Quist', ['lending_clerk']) };
  await endDatabase(db);
  const [[borrower]] = (await connection.query(
    `select e.id as ensemble, t.id as town, t.region from ${records}.ensemble e
     join ${records}.town t on t.id = e.town join ${records}.region r on r.id = t.region
     where r.name = 'North Marches' limit 1`,
  )) as unknown as [[{ ensemble: number; town: number; region: number }]];
  const [scores] = (await connection.query(
    `select score from ${records}.copy_movement group by score
     having sum(if(kind in ('received', 'returned'), quantity, -quantity)) > 3 limit 2500`,
  )) as unknown as [{ score: number }[]];
  let turn = 0;
  /** Five scores, others each time. */
  const next = () => scores.slice((turn++ * 5) % 2500).slice(0, 5);
  const ask = async (who: { cookie: string }, path: string, body?: object) => {
    const response = await fetch(address + path, {
      method: body ? 'POST' : 'GET',
      headers: { ...who, origin: address, 'content-type': 'application/json' },
      ...(body ? { body: JSON.stringify(body) } : {}),
    });
    const answer = await response.text();
    if (!response.ok) throw new Error(answer);
    return answer;
  };
  const both = (name: string, sizes: string, work: (who: { cookie: string }) => Promise<unknown>) =>
    compare({
      ...{ name: `rights-${name}`, sizes, runs: 150, warm: 60 },
      ours: () => work(clerk),
      reference: () => work(asKeeper()),
    });
  const read = (field: string, values: object, more: object = {}) => ({
    ...{ edition: 1, values },
    asks: [{ id: 'a', field, ...more }],
  });
  await both('choices', 'towns of a region, ensembles of a town, scores searched', async (who) => {
    const { region, town } = borrower;
    const form = '/api/forms/lend_music/read';
    await ask(who, form, read('town', { region }));
    await ask(who, form, read('ensemble', { region, town }));
    await ask(who, form, read('score', {}, { grid: 'lines', search: 'lantern quist' }));
  });
  const filter = [{ path: 'ensemble', operator: 'equal', values: [borrower.ensemble] }];
  const loans = `/api/tables/loan/records?filter=${encodeURIComponent(JSON.stringify(filter))}`;
  await both('records', 'the loans of an ensemble', (who) => ask(who, loans));
  await both('save', '1 loan, 5 lines, 5 movements', (who) =>
    ask(who, '/api/forms/lend_music/entries', {
      ...{ submission: randomUUID(), edition: 1 },
      values: { ...borrower, purpose: 'concert', weeks: 2, lent_on: '2026-11-02' },
      rows: { lines: next().map(({ score }) => ({ values: { score, copies: 1 } })) },
    }),
  );
}
