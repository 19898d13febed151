import { beforeAll, describe, expect, it, vi } from 'vitest';
import { makeForm } from '../../src/server/catalog/forms';
import { loadTables, tableFrom } from '../../src/server/catalog/tables';
import { grownTables, noteSizes } from '../../src/server/keeping/growth';
import { noteSlow, slowFrom, slowReads } from '../../src/server/keeping/slow-reads';
import { worriesOf } from '../../src/server/keeping/worries';
import { addRecord } from '../../src/server/records/write';
import { field, lookupOf, planOf } from '../support/definitions';
import { makeLending, useDatabase } from '../support/house';

const held = useDatabase('t_figures');

beforeAll(async () => {
  await makeLending(held.db);
  const plan = planOf('loan', [
    field('ensemble', { label: 'For whom', savesTo: 'ensemble', choices: lookupOf('ensemble') }),
  ]);
  await makeForm(held.db, { key: 'lend', table: 'loan', plan }, 'test');
});

const day = (n: number) => new Date(Date.UTC(2027, 0, n, 12));

describe('S3 what the keeper’s page tells', () => {
  it('notes the sizes of tables once a day, and tells how they went', async () => {
    const { db } = held;
    const house = await loadTables(db);
    await noteSizes(db, house, day(1));
    await noteSizes(db, house, day(1));
    await noteSizes(db, house, day(40));
    await noteSizes(db, house, day(60));
    const grown = await grownTables(db, house, day(61));
    expect(grown.map(({ key }) => key).toSorted()).toEqual([...house.keys()].toSorted());
    for (const { key, days, records } of grown) {
      // Those of the last thirty days, and now.
      expect(
        days.map((each) => each.day),
        key,
      ).toEqual(['2027-02-09', '2027-03-01', '2027-03-02']);
      expect(days.at(-1)?.records).toBe(records);
    }
    const later = await grownTables(db, house, day(500));
    expect(later[0]?.days).toHaveLength(1);
    await addRecord(db, house, tableFrom(house, 'region'), { name: 'One more' }, 'test');
  });

  it('notes what somebody waited for, by form and field, the longest first', async () => {
    const { db } = held;
    const asks = [
      { id: 'a', field: 'ensemble', kind: 'list' as const },
      { id: 'b', field: 'ensemble', grid: 'lines', kind: 'value' as const },
    ];
    const took = (a: number, b: number) => [
      { id: 'a', choices: [], next: null, found: 0, more: false, current: null, took: a },
      { id: 'b', value: null, took: b },
    ];
    const forms = [{ key: 'lend', title: 'Lend' }];
    noteSlow(db, 'lend', asks, took(slowFrom - 1, 3));
    noteSlow(db, 'lend', asks, took(slowFrom + 1, 3));
    noteSlow(db, 'gone', asks, took(9000, 3));
    await vi.waitFor(async () => expect(await slowReads(db, forms)).toHaveLength(1));
    noteSlow(db, 'lend', asks, took(900, 2000));
    await vi.waitFor(async () => expect(await slowReads(db, forms)).toHaveLength(2));
    expect(await slowReads(db, forms)).toMatchObject([
      {
        form: 'lend',
        title: 'Lend',
        scope: 'lines',
        field: 'ensemble',
        kind: 'value',
        n: 1,
        longest: 2000,
      },
      { scope: '', label: 'For whom', kind: 'list', n: 2, longest: 900 },
    ]);
  });

  it('tells machines what is to be looked at, kept for a moment', async () => {
    const { db } = held;
    const before = await worriesOf(db);
    expect(before).not.toContain('outbox_failed');
    expect(before).not.toContain('backup_failed');
    await db
      .knex('outbox')
      .withSchema(db.catalog)
      .insert({
        ...{ submission: 'x', form_key: 'lend', connection_key: 'x', method: 'POST', address: '' },
        ...{ body: '{}', idempotency_key: 'x', state: 'failed', by_person: 'test' },
      });
    expect(await worriesOf(db)).toEqual(before);
    // Another process, or a moment later.
    expect(await worriesOf({ ...db })).toEqual(
      expect.arrayContaining(['outbox_failed', ...before]),
    );
  });
});
