import { beforeAll, describe, expect, it } from 'vitest';
import { proposeCascades } from '../../src/core/plan/cascade';
import { fieldOf, fieldsOf } from '../../src/core/plan/scopes';
import { tableChoices } from '../../src/core/plan/choices';
import type { Table } from '../../src/core/table/definition';
import { examine } from '../../src/core/wiring/examine';
import {
  listEditions,
  loadDraft,
  loadEdition,
  makeForm,
  publishForm,
} from '../../src/server/catalog/forms';
import { loadTables, makeTable } from '../../src/server/catalog/tables';
import { countTables } from '../../src/server/records/count';
import { findDependencies } from '../../src/server/records/dependencies';
import { addRecord } from '../../src/server/records/write';
import { column, field, lookupOf, planOf, reference, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_proposals');
const ids: Record<string, number> = {};

async function add(of: string, values: Record<string, unknown>): Promise<number> {
  const tables = await loadTables(held.db);
  return (await addRecord(held.db, tables, tables.get(of) as Table, values, 'test')).id;
}
const known = async (key: string) => (await loadTables(held.db)).get(key) as Table;

beforeAll(async () => {
  const name = column('name', { required: true });
  const email = column('email', { type: { kind: 'text', format: 'email', length: 80 } });
  for (const made of [
    table('region', [name]),
    table('town', [name, reference('region', 'region', { required: true })]),
    table('ensemble', [name, email, reference('town', 'town', { required: true })]),
    table('loan', [reference('ensemble'), column('note')]),
    table('article', [
      column('category'),
      column('name'),
      column('maker'),
      column('code', { unique: true }),
    ]),
    table('order_line', [reference('article'), column('packs', { type: { kind: 'whole' } })]),
  ]) {
    await makeTable(held.db, made, 'test');
  }
  for (let r = 0; r < 3; r++) ids[`r${r}`] = await add('region', { name: `Region ${r}` });
  for (let t = 0; t < 12; t++)
    ids[`t${t}`] = await add('town', { name: `Town ${t}`, region: ids[`r${t % 3}`] });
  for (let e = 0; e < 40; e++)
    await add('ensemble', { name: `Ensemble ${e}`, town: ids[`t${e % 12}`] });
  // 12 articles in 3 categories, each from several makers; one row contradicts.
  for (let i = 0; i < 60; i++) {
    const article = i % 12;
    await add('article', {
      category: `C${article % 3}`,
      name: `A${article}`,
      maker: `M${i % 5}`,
      code: `X${i}`,
    });
  }
});

describe('G3 cascades are proposed from the data themselves', () => {
  it('finds which columns determine which, and nothing that the data contradict', async () => {
    const found = await findDependencies(
      held.db,
      await loadTables(held.db),
      await known('article'),
    );
    expect(found.map(({ from, to }) => `${from} → ${to}`)).toEqual(['name → category']);
    expect(found[0]).toMatchObject({ fromValues: 12, toValues: 3, records: 60, exceptions: [] });
  });

  it('shows the exceptions of a near miss, which are often errors in the data', async () => {
    const odd = await add('article', { category: 'C2', name: 'A0', maker: 'M1', code: 'odd' });
    const [near] = await findDependencies(
      held.db,
      await loadTables(held.db),
      await known('article'),
    );
    expect(near?.exceptions).toEqual([{ value: 'A0', others: ['C0', 'C2'] }]);
    await held.db.knex('article').withSchema(held.db.records).where({ id: odd }).delete();
  });

  it('proposes a cascade along references and one along columns, with their evidence', async () => {
    const tables = await loadTables(held.db);
    const plan = planOf('loan', [
      field('ensemble', { savesTo: 'ensemble', choices: lookupOf('ensemble') }),
      field('item', { choices: lookupOf('article') }),
    ]);
    const facts = {
      records: await countTables(held.db, tables),
      dependencies: new Map([
        [
          'article',
          await findDependencies(held.db, await loadTables(held.db), await known('article')),
        ],
      ]),
    };
    const [along, flat] = proposeCascades(plan, tables, facts);
    expect(along).toMatchObject({
      title: 'region → town → ensemble',
      evidence: [
        'each of 40 records of ensemble has one town (12)',
        'each of 12 records of town has one region (3)',
      ],
    });
    expect(flat?.title).toBe('category → name → item');
    const wired = flat?.apply(along?.apply(plan) ?? plan) ?? plan;
    expect(fieldsOf(wired).map((f) => f.key)).toEqual([
      'region',
      'town',
      'ensemble',
      'category',
      'name',
      'item',
    ]);
    expect(examine(wired, tables).filter((f) => f.level === 'problem')).toEqual([]);
    expect(
      tableChoices(fieldOf(wired, 'item') ?? field('x'))?.narrowings.map((n) => n.field),
    ).toEqual(['category', 'name']);
    expect(proposeCascades(wired, tables, facts)).toEqual([]);
  });
});

describe('G2 a first draft is a form one can use', () => {
  it('has its lookups narrowed, addresses brought along, and nothing to fix', async () => {
    await makeForm(held.db, { table: 'loan', key: 'drafted' }, 'test');
    const { plan } = await loadDraft(held.db, 'drafted');
    expect(fieldsOf(plan).map((f) => f.key)).toEqual(['region', 'town', 'ensemble', 'note']);
    expect(fieldOf(plan, 'ensemble')?.brings.map((b) => b.path)).toEqual(['email']);
    expect(examine(plan, await loadTables(held.db))).toEqual([]);
  });
});

describe('G8 editions are listed and kept', () => {
  it('newest first, each as it was', async () => {
    await publishForm(held.db, 'drafted', 1, 'anna');
    await publishForm(held.db, 'drafted', 1, 'bert');
    const editions = await listEditions(held.db, 'drafted');
    expect(editions.map(({ number, by }) => `${number} ${by}`)).toEqual(['2 bert', '1 anna']);
    expect((await loadEdition(held.db, 'drafted', 1)).plan.table).toBe('loan');
  });
});
