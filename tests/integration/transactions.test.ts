import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { duplicateIndex } from '../../src/server/database/errors';
import { noting, type Moment } from '../../src/server/database/moment';
import { rowsOf, runBinary } from '../../src/server/database/rows';
import { inTransaction } from '../../src/server/database/transaction';
import { useDatabase } from '../support/house';

const held = useDatabase('t_transactions');
const of = () => `\`${held.db.records}\`.noted`;

/** What a transaction does, in turn, each with what follows in the same moment. */
const step = fc.oneof(
  fc.record({ kind: fc.constant('read' as const) }),
  fc.record({ kind: fc.constant('together' as const), values: fc.array(fc.nat(12)) }),
  fc.record({ kind: fc.constant('alone' as const), value: fc.nat(12) }),
  fc.record({ kind: fc.constant('binary' as const), value: fc.nat(12) }),
  fc.record({ kind: fc.constant('throw' as const) }),
);
type Step = typeof step extends fc.Arbitrary<infer S> ? S : never;

class Given extends Error {}

const insert = () => `insert into ${of()} (value) values (?) returning id`;

async function stored(): Promise<number[]> {
  const rows = await rowsOf(held.db.knex, `select value from ${of()} order by value`);
  return rows.map(({ value }) => Number(value));
}

/** What the table holds after the steps; `null` where they fail and nothing of them stands. */
function after(before: readonly number[], steps: readonly Step[]): number[] | null {
  const values = new Set(before);
  for (const step of steps) {
    if (step.kind === 'throw') return null;
    const added = 'values' in step ? step.values : 'value' in step ? [step.value] : [];
    for (const value of added) {
      if (values.has(value)) return null;
      values.add(value);
    }
  }
  return [...values].sort((a, b) => a - b);
}

/** Does the steps; where `ends`, the last thing written commits them. */
async function perform(steps: readonly Step[], ends: boolean): Promise<void> {
  await inTransaction(held.db, async (trx) => {
    for (const step of steps) {
      if (step.kind === 'throw') throw new Given();
      if (step.kind === 'read') {
        const [row] = await rowsOf(trx, 'select @@in_transaction as is_in');
        expect(Number(row?.is_in)).toBe(1);
      } else if (step.kind === 'alone') {
        await trx.raw(`insert into ${of()} (value) values (?)`, [step.value]);
      } else if (step.kind === 'binary') {
        await runBinary(trx, `insert into ${of()} (value) values (?)`, [step.value]);
      } else await Promise.all(step.values.map((value) => rowsOf(trx, insert(), [value])));
    }
    if (!ends) return;
    const read = rowsOf(trx, 'select 1 as one');
    await Promise.all([read, rowsOf(trx, insert(), [100], { ends: true })]);
    expect(await stored()).toContain(100);
  });
}

beforeAll(async () => {
  await held.db.knex.raw(
    `create table ${of()} (id int unsigned auto_increment primary key, value int not null, unique (value))`,
  );
});

describe('a transaction that begins and ends with its statements', () => {
  it('does all or nothing, whatever comes first and last in it', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(step, { maxLength: 6 }), fc.boolean(), async (steps, ends) => {
        await held.db.knex.raw(`delete from ${of()} where value % 3 = 0 or value = 100`);
        const before = await stored();
        const expected = after(before, steps);
        const failed = await perform(steps, ends).then(
          () => null,
          (error: unknown) => error,
        );
        const isOurs = failed instanceof Given || duplicateIndex(failed) !== null;
        expect(failed === null || isOurs).toBe(true);
        expect(failed === null).toBe(expected !== null);
        expect(await stored()).toEqual(
          expected === null ? before : [...expected, ...(ends ? [100] : [])],
        );
      }),
      { numRuns: 120 },
    );
  });

  it('leaves nothing of what its last statement was to commit, where that fails', async () => {
    await held.db.knex.raw(`delete from ${of()}`);
    await held.db.knex.raw(`insert into ${of()} (value) values (7)`);
    const work = inTransaction(held.db, async (trx) => {
      await rowsOf(trx, insert(), [1]);
      await Promise.all([rowsOf(trx, insert(), [2]), rowsOf(trx, insert(), [7], { ends: true })]);
    });
    await expect(work).rejects.toSatisfy((error) => duplicateIndex(error) !== null);
    expect(await stored()).toEqual([7]);
  });

  it('notes for its request that it has written', async () => {
    const moment: Moment = { gtid: null, wrote: false };
    await noting(moment, () =>
      inTransaction(held.db, (trx) => rowsOf(trx, insert(), [8], { ends: true })),
    );
    expect(moment.wrote).toBe(true);
  });
});
