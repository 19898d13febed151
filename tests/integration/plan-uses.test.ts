import { beforeAll, describe, expect, it } from 'vitest';
import { removeFields } from '../../src/core/plan/rename';
import { houseOf } from '../../src/core/table/sources';
import {
  keepDraft,
  listForms,
  loadDraft,
  loadEdition,
  makeForm,
  publishForm,
  removeForm,
} from '../../src/server/catalog/forms';
import { formsNaming, namedIn, type Named } from '../../src/server/catalog/plan-uses';
import { renameWholeTable } from '../../src/server/catalog/restructure';
import { loadTables } from '../../src/server/catalog/tables';
import { field, lookupOf, planOf } from '../support/definitions';
import { makeLending, useDatabase } from '../support/house';
import { lendingPlan } from '../support/lending';

const held = useDatabase('t_plan_uses');

beforeAll(async () => {
  await makeLending(held.db);
  await makeForm(held.db, { table: 'loan', key: 'lend', plan: lendingPlan() }, 'test');
  const towns = planOf('town', [
    field('name', { savesTo: 'name' }),
    field('region', { savesTo: 'region', choices: lookupOf('region') }),
  ]);
  await makeForm(held.db, { table: 'town', key: 'town', plan: towns }, 'test');
  const scores = planOf('score', [
    field('kind', { choices: { kind: 'options', list: 'kinds', by: null } }),
  ]);
  await makeForm(held.db, { table: 'score', key: 'score', plan: scores }, 'test');
});

/** What the index says of everything that any plan names, and what reading all plans says. */
async function bothWays() {
  const tables = await loadTables(held.db);
  const told = new Map<string, Named>();
  const there: string[] = [];
  for (const { key, edition } of await listForms(held.db)) {
    const plans = [
      { which: 'draft', ...(await loadDraft(held.db, key)) },
      ...(edition > 0 ? [{ which: 'edition', ...(await loadEdition(held.db, key)) }] : []),
    ];
    for (const { which, plan } of plans) {
      for (const named of namedIn(plan, tables)) {
        told.set(`${named.kind} ${named.name}`, named);
        there.push(`${named.kind} ${named.name}: ${key} ${which}`);
      }
    }
  }
  const here: string[] = [];
  for (const [name, named] of told) {
    for (const { form, plans } of await formsNaming(held.db, named)) {
      here.push(...plans.map(({ which }) => `${name}: ${form.key} ${which}`));
    }
  }
  return { here: here.sort(), there: there.sort() };
}

describe('A7 the index of what plans name', () => {
  it('knows what reading all plans would say', async () => {
    const { here, there } = await bothWays();
    expect(here).toEqual(there);
    expect(here).toContain('list kinds: score draft');
    expect(here).toContain('table copy_movement: lend draft');
    // Named by a formula, or a column of another table, only.
    expect(here).toContain('table region: lend draft');
  });

  it('follows a changed draft, a published one, another key and a form that goes', async () => {
    const { db } = held;
    await publishForm(db, 'town', 1, 'test');
    const { form, plan } = await loadDraft(db, 'town');
    const less = removeFields(plan, houseOf(), '', ['region']);
    await keepDraft(db, 'town', form.revision, less, 'test');
    const changed = await bothWays();
    expect(changed.here).toEqual(changed.there);
    // The edition still asks for regions; the draft does not.
    expect(changed.here.filter((line) => /^table region: town/.test(line))).toEqual([
      'table region: town edition',
    ]);
    await renameWholeTable(db, 'region', 'district', 'test');
    const renamed = await bothWays();
    expect(renamed.here).toEqual(renamed.there);
    expect(renamed.here).toContain('table district: town edition');
    expect(await formsNaming(db, { kind: 'table', name: 'region' })).toEqual([]);
    await removeForm(db, 'score');
    expect(await formsNaming(db, { kind: 'list', name: 'kinds' })).toEqual([]);
  });

  it('is right while drafts change as it is asked', async () => {
    const { db } = held;
    await Promise.all([
      ...Array.from({ length: 6 }, () => formsNaming(db, { kind: 'table', name: 'town' })),
      (async () => {
        for (let i = 0; i < 6; i++) {
          const { form } = await loadDraft(db, 'lend');
          const plan = lendingPlan();
          const next =
            i % 2 ? plan : removeFields(plan, houseOf(), '', ['score', 'received', 'lent']);
          await keepDraft(db, 'lend', form.revision, next, 'test');
        }
      })(),
    ]);
    const { here, there } = await bothWays();
    expect(here).toEqual(there);
  });
});
