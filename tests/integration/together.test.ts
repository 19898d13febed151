import { describe, expect, it } from 'vitest';
import { inTransaction } from '../../src/server/database/transaction';
import { useDatabase } from '../support/house';

const held = useDatabase('t_together');

type Raw = [Record<string, unknown>[]];

/** How often the database was asked by this connection, this time included. */
const questions = async (trx: { raw(sql: string): PromiseLike<unknown> }): Promise<number> => {
  const [[row]] = (await trx.raw("show session status like 'Questions'")) as Raw;
  return Number(row?.Value);
};

describe('reads of a transaction that are asked for together', () => {
  it('each give their own rows, whatever stands in their values', async () => {
    const texts = ['a; drop table x', "it's", '?', 'end', '\\', '"', '-- no', 'Ünïcode ♪', ''];
    await inTransaction(held.db, async (trx) => {
      const read = texts.map((text) => trx.raw('select ? as text, ? as two', [text, 2]));
      const found = (await Promise.all(read)) as Raw[];
      expect(found.map(([[row]]) => row)).toEqual(texts.map((text) => ({ text, two: 2 })));
    });
  });

  it('keep the shapes of builder and raw, of none, one and many rows', async () => {
    await inTransaction(held.db, async (trx) => {
      const settings = () => trx('setting').withSchema(held.db.catalog);
      await settings().insert([
        { name: 'one', value: '1' },
        { name: 'two', value: '2' },
      ]);
      const [all, first, none, names, raw] = await Promise.all([
        settings().whereIn('name', ['one', 'two']).orderBy('name').select('value'),
        settings().where({ name: 'two' }).first('value'),
        settings().where({ name: 'three' }).first('value'),
        settings().whereIn('name', ['one', 'two']).orderBy('name').pluck('name'),
        trx.raw('select 1 as n where 1 = 0'),
      ]);
      expect(all).toEqual([{ value: '1' }, { value: '2' }]);
      expect(first).toEqual({ value: '2' });
      expect(none).toBeUndefined();
      expect(names).toEqual(['one', 'two']);
      expect((raw as Raw)[0]).toEqual([]);
      throw new Error('undone');
    }).catch((error: unknown) => expect(String(error)).toContain('undone'));
  });

  it('see what was written before them, and come before what is written after', async () => {
    await inTransaction(held.db, async (trx) => {
      const settings = () => trx('setting').withSchema(held.db.catalog);
      await settings().insert({ name: 'here', value: '1' });
      const [first, second] = await Promise.all([
        settings().where({ name: 'here' }).first('value'),
        settings().where({ name: 'here' }).forUpdate().first('value'),
      ]);
      expect([first, second]).toEqual([{ value: '1' }, { value: '1' }]);
      await settings().where({ name: 'here' }).update({ value: '2' });
      expect(await settings().where({ name: 'here' }).first('value')).toEqual({ value: '2' });
      await settings().where({ name: 'here' }).delete();
    });
  });

  it('fail together with the cause of the one that failed, and leave the connection whole', async () => {
    const failed = await inTransaction(held.db, (trx) =>
      Promise.allSettled([
        trx.raw('select 1 as n'),
        trx.raw('select nothing_of_this_name as n'),
        trx.raw('select 3 as n'),
      ]),
    );
    for (const one of failed) expect(one.status).toBe('rejected');
    expect(String((failed[1] as PromiseRejectedResult).reason)).toContain('nothing_of_this_name');
    const [[row]] = (await held.db.knex.raw('select 4 as n')) as Raw;
    expect(row).toEqual({ n: 4 });
  });

  it('are ended when they take too long', async () => {
    const slow = inTransaction(held.db, async (trx) => {
      await trx.raw('set session max_statement_time = 0.2');
      try {
        await Promise.all([trx.raw('select 1'), trx.raw('select sleep(20)')]);
      } finally {
        await trx.raw('set session max_statement_time = 30');
      }
    });
    await expect(slow).rejects.toThrow(/max_statement_time|interrupted/i);
  });

  it('are one trip', async () => {
    const reads = 8;
    await inTransaction(held.db, async (trx) => {
      const before = await questions(trx);
      await Promise.all(Array.from({ length: reads }, (_, i) => trx.raw('select ? as n', [i])));
      // The compound statement, and the question itself.
      expect((await questions(trx)) - before).toBe(2);
    });
  });
});
