import { beforeAll, describe, expect, it } from 'vitest';
import { ProblemError } from '../../src/core/problems';
import { togetherRequest } from '../../src/core/contract/requests';
import { loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { undoSave } from '../../src/server/records/history';
import { readRecords } from '../../src/server/records/read';
import { writeTogether } from '../../src/server/records/write';
import { column, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_together');

beforeAll(async () => {
  const name = { ...column('name'), required: true, unique: true };
  const amount = column('amount', { type: { kind: 'whole' } });
  await makeTable(held.db, table('part', [name, amount]), 'test');
});

const house = () => loadTables(held.db);
async function write(wish: object) {
  const all = await house();
  const request = togetherRequest.parse(wish);
  return writeTogether(held.db, all, tableFrom(all, 'part'), request, 'test');
}
async function rows() {
  const all = await house();
  const wish = { filter: [], sort: [{ path: 'name', descending: false }], limit: 100 };
  return (await readRecords(held.db, all, tableFrom(all, 'part'), wish)).records;
}
const names = async () => (await rows()).map(({ values }) => values.name);

describe('A6 several records of a table together', () => {
  it('are added, changed and removed in one save, and undone in one step', async () => {
    await write({ add: [{ name: 'reed', amount: 2 }, { name: 'string' }, { name: 'valve' }] });
    const [reed, string] = await rows();
    if (!reed || !string) return expect.fail('nothing was written');
    const both = await write({
      add: [{ name: 'oil' }],
      change: [{ id: reed.id, version: reed.version, values: { amount: 9 } }],
      remove: [{ id: string.id, version: string.version }],
    });
    expect(await names()).toEqual(['oil', 'reed', 'valve']);
    await undoSave(held.db, await house(), both, 'test');
    expect(await names()).toEqual(['reed', 'string', 'valve']);
    expect((await rows())[0]?.values.amount).toBe(2);
  });

  it('are all refused where one is, each problem at its place', async () => {
    const before = await rows();
    const [first] = before;
    const bad = write({
      add: [{ name: 'horn' }, { name: '' }, { name: 'reed' }],
      change: [{ id: first?.id, version: 99, values: { amount: 1 } }],
      remove: [{ id: 4711, version: 1 }],
    });
    const found = await bad.then(
      () => [],
      (error: unknown) => (error as ProblemError).problems,
    );
    expect(found.map(({ code, path }) => [path, code])).toEqual([
      ['remove[0]', 'unknown_record'],
      ['change[0]', 'changed_meanwhile'],
      ['add[1].name', 'required'],
      ['add[2].name', 'not_unique'],
    ]);
    expect(await rows()).toEqual(before);
  });

  it('are asked for in a request that says something', () => {
    expect(togetherRequest.safeParse({}).success).toBe(false);
    const many = Array.from({ length: 2001 }, () => ({ name: 'x' }));
    expect(togetherRequest.safeParse({ add: many }).success).toBe(false);
  });
});
