import { beforeAll, describe, expect, it } from 'vitest';
import type { Choice } from '../../src/core/entry/asks';
import type { Rollup } from '../../src/core/plan/schema';
import type { Table } from '../../src/core/table/definition';
import { loadTables, makeTable } from '../../src/server/catalog/tables';
import { readNamed } from '../../src/server/records/named';
import { readRollup, readRollups } from '../../src/server/records/rollup';
import { addRecord } from '../../src/server/records/write';
import { column, lookupOf, reference, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_named');

async function add(key: string, values: Record<string, unknown>): Promise<void> {
  const tables = await loadTables(held.db);
  await addRecord(held.db, tables, tables.get(key) as Table, values, 'test');
}

beforeAll(async () => {
  const whole = { type: { kind: 'whole' as const } };
  await makeTable(held.db, table('place', [column('name')]), 'test');
  await makeTable(
    held.db,
    table('piece', [
      column('code', { unique: true }),
      column('name'),
      column('parts', whole),
      reference('place'),
    ]),
    'test',
  );
  await makeTable(
    held.db,
    table('moved', [reference('piece'), column('kind'), column('n', whole)]),
    'test',
  );
  for (const name of ['Hall', 'Church']) await add('place', { name });
  await add('piece', { code: 'A-1', name: 'Café Waltz', parts: 12, place: 1 });
  await add('piece', { code: 'A-2', name: 'Waltz', parts: 1200, place: 1 });
  await add('piece', { code: 'A-3', name: 'Waltz', parts: 3, place: 2 });
  for (const [piece, kind, n] of [
    [1, 'in', 5],
    [1, 'in', 7],
    [1, 'out', 2],
    [2, 'in', 1],
  ]) {
    await add('moved', { piece, kind, n });
  }
});

async function named(keys: string[], more: object = {}, given = {}) {
  const shown = ['code', 'name', 'parts', 'place.name'];
  const choices = lookupOf('piece', { shown, ...more });
  const tables = await loadTables(held.db);
  const found = await readNamed(held.db, held.db.knex, tables, { choices, given, keys });
  return keys.map((key) => {
    const one = found.get(key);
    return one === null || typeof one === 'string' ? one : (one as Choice).value;
  });
}

describe('E2 pasted texts name records', () => {
  it('by any shown column, without case and accents, or by the whole line', async () => {
    expect(await named(['a-1', 'cafe waltz', 'A-2 · Waltz · 1,200 · Hall', '1,200'])).toEqual([
      1, 1, 2, 2,
    ]);
  });

  it('not where several or none are meant', async () => {
    expect(await named(['Waltz', 'Hall', 'Polka', '', '%'])).toEqual([
      'ambiguous',
      'ambiguous',
      null,
      null,
      null,
    ]);
  });

  it('only among those that are offered', async () => {
    const narrowings = [{ path: 'place', operator: 'equal', field: 'at', whileEmpty: 'nothing' }];
    expect(await named(['Waltz', 'A-3'], { narrowings }, { at: 1 })).toEqual([2, null]);
  });

  it('by the typed column alone, where the choices name one', async () => {
    expect(await named(['A-1', 'Waltz', '12'], { typedBy: 'code' })).toEqual([1, null, null]);
  });

  it('many at once as well as one by one', async () => {
    const keys = Array.from({ length: 500 }, (_, i) => `A-${i % 5}`);
    const together = await named(keys);
    expect(together.slice(0, 5)).toEqual([null, 1, 2, 3, null]);
    expect(new Set(together).size).toBe(4);
  });
});

describe('D3 one rollup for many rows', () => {
  const rollup = (aggregate: Rollup['aggregate']): Rollup => ({
    table: 'moved',
    aggregate,
    path: aggregate === 'count' ? null : 'n',
    conditions: [{ path: 'kind', operator: 'one_of', values: ['in'] }],
    less: [],
    narrowings: [{ path: 'piece', operator: 'equal', field: 'piece', whileEmpty: 'nothing' }],
  });

  it.each(['count', 'sum', 'least', 'greatest', 'average'] as const)(
    'gives the same %s as row by row',
    async (aggregate) => {
      const tables = await loadTables(held.db);
      const givens = [1, 2, 3, 1].map((piece) => ({ piece }));
      const one = rollup(aggregate);
      const together = await readRollups(held.db, held.db.knex, tables, one, givens);
      const single = await Promise.all(
        givens.map((given) => readRollup(held.db, held.db.knex, tables, one, given)),
      );
      expect(together).toEqual(single);
      expect(together[0]).not.toEqual(together[1]);
    },
  );

  it.each(['count', 'sum'] as const)(
    'takes off a %s what is to be taken off',
    async (aggregate) => {
      const tables = await loadTables(held.db);
      const all: Rollup = { ...rollup(aggregate), conditions: [] };
      const netto: Rollup = {
        ...all,
        less: [{ path: 'kind', operator: 'one_of', values: ['out'] }],
      };
      const out: Rollup = { ...all, conditions: netto.less };
      const givens = [1, 2, 3].map((piece) => ({ piece }));
      const read = (one: Rollup) => readRollups(held.db, held.db.knex, tables, one, givens);
      const [sums, nets, outs] = await Promise.all([read(all), read(netto), read(out)]);
      expect(nets.map(Number)).toEqual(sums.map((sum, i) => Number(sum) - 2 * Number(outs[i])));
      expect(outs.some((one) => Number(one) > 0)).toBe(true);
      const single = await readRollup(held.db, held.db.knex, tables, netto, { piece: 1 });
      expect(single).toEqual(nets[0]);
    },
  );
});
