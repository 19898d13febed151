import { randomUUID } from 'node:crypto';
import type { Connection } from 'mysql2/promise';
import { asKeeper, at95, compare, post } from './measure';

interface Bench {
  address: string;
  connection: Connection;
}

const records = 'unisor_records';
const times = 60;

/** What must not grow with the tables: pages, and what hangs on a choice. Many tables and forms: `UNISOR_MANY=1`. */
export async function size(bench: Bench): Promise<void> {
  await cascade(bench);
  await pages(bench, '');
  if (process.env.UNISOR_MANY === '1') {
    await makeMany(bench);
    await pages(bench, ', with 1,000 tables and 500 forms');
  }
}

/** Choosing an ensemble and a score: the list of towns, the list of ensembles, and what is in the store; one request. */
async function cascade({ address, connection }: Bench): Promise<void> {
  const [[of]] = (await connection.query(
    `select e.id as ensemble, t.id as town, t.region from ${records}.ensemble e join ${records}.town t on t.id = e.town limit 1`,
  )) as unknown as [[{ ensemble: number; town: number; region: number }]];
  const score = 4711;
  const asks = ['town', 'ensemble'].map((field) => ({ id: field, field }));
  const read = async (asked: typeof asks) => {
    const values = { ...of, weeks: 2 };
    const rows = { lines: [{ key: 'a', values: { score, copies: 1 } }] };
    const response = await post(address, '/api/forms/lend_music/read', {
      edition: 1,
      values,
      rows,
      asks: asked,
    });
    const { answers } = (await response.json()) as { answers: { id: string }[] };
    if (!asked.every(({ id }) => answers.some((answer) => answer.id === id))) {
      throw new Error('an answer is missing');
    }
  };
  await compare({
    ...{ name: 'cascade', sizes: 'three dependents of a choice, one request', runs: 300 },
    ...{ warm: 500, ours: () => read(asks), empty: () => read([]) },
    reference: async () => {
      await connection.query(
        `select id, name from ${records}.town where region = ? order by name, id limit 51`,
        [of.region],
      );
      await connection.query(
        `select id, name, member_code from ${records}.ensemble where town = ? order by name, id limit 51`,
        [of.town],
      );
      await connection.query(
        `select sum(if(kind in ('lent', 'lost'), -quantity, quantity)) from ${records}.copy_movement where score = ?`,
        [score],
      );
    },
  });
}

async function pages({ address }: Bench, house: string): Promise<void> {
  const wanted = {
    home: '/',
    tables: '/tables',
    design: '/forms/lend_music/design',
    table: '/tables/copy_movement',
    'table-by-code': `/tables/score?sort=${encodeURIComponent('[{"path":"code","descending":true}]')}`,
  };
  for (const [name, path] of Object.entries(wanted)) {
    const took: number[] = [];
    for (let i = 0; i < times + 20; i++) {
      const began = performance.now();
      const response = await fetch(`${address}${path}`, { headers: asKeeper() });
      await response.text();
      if (!response.ok) throw new Error(`${path}: ${response.status}`);
      if (i >= 20) took.push(performance.now() - began);
    }
    const median = [...took].sort((a, b) => a - b)[times >> 1] ?? Number.NaN;
    console.log(
      `bench page-${name}: median ${median.toFixed(1)} ms, p95 ${at95(took).toFixed(1)} ms (whole page, n=${times}${house}; aim ${house ? 60 : 30} ms)`,
    );
  }
}

/** A thousand tables of three columns, and five hundred forms of one of them. */
async function makeMany({ address }: Bench): Promise<void> {
  const make = async (path: string, body: object) => {
    const response = await post(address, path, body);
    if (!response.ok) throw new Error(`${path}: ${await response.text()}`);
  };
  const text = { kind: 'text', format: 'plain', length: 80 };
  const run = randomUUID().slice(0, 4);
  for (let i = 0; i < 1000; i++) {
    const key = `many_${run}_${i}`;
    const columns = ['name', 'note', 'place'].map((column) => ({
      ...{ key: column, label: column, type: text, required: false, unique: false },
    }));
    await make('/api/tables', { key, title: `Many ${i}`, display: ['name'], columns, indexes: [] });
    if (i % 2 === 0) await make('/api/forms', { title: `Form ${run} ${i}`, table: key });
  }
}
