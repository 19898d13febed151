import http from 'node:http';
import { setTimeout as sleep } from 'node:timers/promises';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { OwnServer } from '../../scripts/server.mjs';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { whileWanted } from '../../src/server/database/wanted';
import { rowsOf } from '../../src/server/database/rows';
import { makeLending } from '../support/house';
import { storePlans } from '../support/lending';
import { ownHouse, type OwnHouse } from '../support/own-server';

let house: OwnHouse;
let server: OwnServer & { cookie: string };

beforeAll(async () => {
  house = await ownHouse('wanted');
  await makeLending(house.db);
  const { lend } = storePlans();
  await makeForm(house.db, { table: 'loan', key: 'lend', plan: lend }, 'test');
  await publishForm(house.db, 'lend', 1, 'test');
  server = await house.serve();
}, 60_000);

afterAll(() => house.end());

/** How many statements with a word in them are running. */
async function running(word: string): Promise<number> {
  const rows = await rowsOf(
    house.db.knex,
    'select count(*) as n from information_schema.processlist where info like ? and id <> connection_id()',
    [`%${word}%`],
  );
  return Number(rows[0]?.n);
}

async function until(holds: () => Promise<boolean>): Promise<void> {
  const end = Date.now() + 10_000;
  while (!(await holds())) {
    expect(Date.now(), 'it did not come to it').toBeLessThan(end);
    await sleep(30);
  }
}

describe('a read that nobody waits for any more', () => {
  it('is ended in the database, and nothing else is', async () => {
    const { knex } = house.db;
    const outcomes = { ended: 0, answered: 0 };
    // Short reads on the same connections, while others are given up at random moments.
    await Promise.all(
      Array.from({ length: 12 }, async (_, own) => {
        for (let i = 0; i < 12; i++) {
          if (own % 3 === 0) {
            const gone = new AbortController();
            setTimeout(() => gone.abort(), Math.random() * 60);
            const read = whileWanted(gone.signal, () =>
              rowsOf(knex, `select sleep(${i % 2 === 0 ? 20 : 0.03}) as given_up`),
            );
            await read.then(
              () => outcomes.answered++,
              () => outcomes.ended++,
            );
          } else {
            const [row] = await rowsOf(knex, 'select sleep(0.005) as slept, ? as n', [i]);
            expect(row).toMatchObject({ slept: 0, n: i });
          }
        }
      }),
    );
    expect(outcomes.ended).toBeGreaterThan(20);
    expect(await running('given_up')).toBe(0);
  });

  it('keeps no connection from others, though all are reading what is given up', async () => {
    const { knex } = house.db;
    const gone = new AbortController();
    const reads = Array.from({ length: 12 }, () =>
      whileWanted(gone.signal, () => rowsOf(knex, 'select sleep(20) as given_up')),
    );
    const settled = Promise.allSettled(reads);
    await sleep(300);
    gone.abort();
    const began = Date.now();
    expect(await rowsOf(knex, 'select 1 as n')).toHaveLength(1);
    await settled;
    expect(Date.now() - began).toBeLessThan(5000);
  });

  it('is ended when the browser gives its search up', { timeout: 30_000 }, async () => {
    const { knex, records } = house.db;
    await knex.transaction(async (trx) => {
      // Nothing is read from the table meanwhile: a search as slow as one can be.
      await trx.raw(`lock tables \`${records}\`.score write`);
      const body = JSON.stringify({
        edition: 1,
        asks: [{ id: 'l', kind: 'list', field: 'score', given: {}, search: 'sco' }],
      });
      const { cookie } = server;
      const headers = { cookie, origin: server.address, 'content-type': 'application/json' };
      const request = http.request(`${server.address}/api/forms/lend/read`, {
        ...{ method: 'POST', headers },
      });
      request.on('error', () => undefined);
      request.end(body);
      const reads = async () => (await running('`score` r')) > 0;
      await until(reads);
      request.destroy();
      await until(async () => !(await reads()));
      await trx.raw('unlock tables');
    });
    // The server is well, and answers the next one.
    const answer = await fetch(`${server.address}/api/health`);
    expect(answer.status).toBe(200);
  });
});
