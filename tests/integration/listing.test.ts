import { beforeAll, describe, expect, it } from 'vitest';
import { askSchema, type Ask, type Offer } from '../../src/core/entry/asks';
import { makeTable, loadTables } from '../../src/server/catalog/tables';
import { readForm } from '../../src/server/records/form-read';
import { addRecord } from '../../src/server/records/write';
import { column, field, lookupOf, planOf, reference, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_listing');
const towns = 130;
let regions: number[];

const plan = planOf('note', [
  field('region', { choices: lookupOf('region') }),
  // Shows rows of any table, under the form's values; nothing is chosen from it.
  field('towns', {
    shows: 'list',
    choices: lookupOf('town', {
      narrowings: [
        { path: 'region', operator: 'equal', field: 'region', whileEmpty: 'everything' },
      ],
    }),
  }),
]);

beforeAll(async () => {
  const { db } = held;
  await makeTable(db, table('region', [column('name')]), 'test');
  await makeTable(db, table('town', [column('name'), reference('region')]), 'test');
  await makeTable(db, table('note', [column('text')]), 'test');
  const tables = await loadTables(db);
  const add = (key: string, values: object) => {
    const to = tables.get(key);
    if (!to) throw new Error(key);
    return addRecord(db, tables, to, { ...values }, 'test');
  };
  regions = [(await add('region', { name: 'A' })).id, (await add('region', { name: 'B' })).id];
  for (let i = 0; i < towns; i++) {
    const name = `Town ${String(i).padStart(3, '0')}`;
    await add('town', { name, region: regions[i % 2] ?? 0 });
  }
});

async function page(more: Partial<Ask>): Promise<Omit<Offer, 'id'>> {
  const asks = [askSchema.parse({ id: 'a', field: 'towns', limit: 50, ...more })];
  const [answer] = await readForm(held.db, await loadTables(held.db), plan, { asks });
  if (!answer || !('choices' in answer)) throw new Error(JSON.stringify(answer));
  return answer;
}

async function allPages(more: Partial<Ask>): Promise<string[]> {
  const names: string[] = [];
  let after: string | undefined;
  for (let i = 0; i < 10; i++) {
    const { choices, next } = await page({ ...more, ...(after ? { after } : {}) });
    names.push(...choices.map(({ shown }) => String(shown[0])));
    if (next === null) return names;
    after = next;
  }
  throw new Error('no end');
}

describe('E5 rows of any table are shown in a form, page by page', () => {
  it('all of them, each once, in order', async () => {
    const names = await allPages({});
    expect(names).toHaveLength(towns);
    expect(names).toEqual([...new Set(names)].sort());
    expect((await page({})).found).toBe(towns);
  });

  it('under the values of the form', async () => {
    const some = await allPages({ given: { region: regions[0] ?? 0 } });
    expect(some).toHaveLength(towns / 2);
    expect(some[1]).toBe('Town 002');
  });

  it('in the other direction, and found by typing', async () => {
    const back = await allPages({ order: { column: 0, descending: true } });
    expect(back[0]).toBe(`Town ${towns - 1}`);
    expect(await allPages({ search: 'town 01' })).toHaveLength(10);
    // Also where nothing else is wanted of it.
    const only = await page({ limit: undefined, order: { column: 0, descending: true } });
    expect(only.choices[0]?.shown[0]).toBe(`Town ${towns - 1}`);
  });
});
