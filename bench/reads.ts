import type { Connection } from 'mysql2/promise';
import { asKeeper, compare } from './measure';

interface Bench {
  address: string;
  connection: Connection;
}

/** Choices through HTTP against the same SQL sent by the driver. */
export async function reads({ address, connection }: Bench): Promise<void> {
  const records = 'unisor_records';
  const regionId = await idOf(
    connection,
    `select id from ${records}.region where name = 'North Marches'`,
  );
  const read = (values: object, ask: object) => async () => {
    const response = await fetch(`${address}/api/forms/lend_music/read`, {
      method: 'POST',
      headers: { ...asKeeper(), origin: address, 'content-type': 'application/json' },
      body: JSON.stringify({ edition: 1, values, asks: [{ id: 'a', ...ask }] }),
    });
    const body = (await response.json()) as { answers: { id: string; found: number }[] };
    const found = body.answers.find((answer) => answer.id === 'a')?.found ?? 0;
    if (found === 0) throw new Error('the benchmark found nothing');
  };
  await compare({
    name: 'narrowed-choices',
    sizes: '12 of 96 towns',
    runs: 200,
    ours: read({ region: regionId }, { field: 'town' }),
    reference: () =>
      connection.query(
        `select r.id, r.name from ${records}.town r where r.region = ? order by r.name, r.id limit 51`,
        [regionId],
      ),
  });
  const [terms, columns] = ['+lantern* +quist*', 'r.code, r.title, r.composer'];
  const where = `match (${columns}) against (? in boolean mode)`;
  const rank = `case when r.code = ? or r.title = ? or r.composer = ? then 0 when r.code like ? or r.title like ? or r.composer like ? then 1 else 2 end`;
  const ranked = [...Array(3).fill('lantern quist'), ...Array(3).fill('lantern quist%')];
  await compare({
    name: 'word-search',
    sizes: '60,000 scores, two words, 141 found',
    runs: 100,
    ours: read({}, { field: 'score', grid: 'lines', search: 'lantern quist' }),
    reference: async () => {
      await connection.query(
        `select r.id, ${columns}, ${rank} as o0 from ${records}.score r where ${where} order by ${rank}, r.code, r.id limit 51`,
        [...ranked, terms, ...ranked],
      );
      await connection.query(
        `select count(*) from (select 1 from ${records}.score r where ${where} limit 10001) c`,
        [terms],
      );
    },
  });
  await compare({
    name: 'open-large-list',
    sizes: 'first 50 of 60,000 scores, counted to 10,000',
    runs: 100,
    ours: read({}, { field: 'score', grid: 'lines', search: '' }),
    reference: async () => {
      await connection.query(
        `select r.id, ${columns} from ${records}.score r order by r.code, r.id limit 51`,
      );
      await connection.query(
        `select count(*) from (select 1 from ${records}.score r where r.id is not null limit 10001) c`,
      );
    },
  });
}

async function idOf(connection: Connection, sql: string): Promise<number> {
  const [rows] = await connection.query(sql);
  return (rows as { id: number }[])[0]?.id ?? 0;
}
