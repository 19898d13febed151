import { beforeAll, describe, expect, it } from 'vitest';
import { renameField } from '../../src/core/plan/rename';
import type { Plan } from '../../src/core/plan/schema';
import {
  formHead,
  keepDraft,
  listEditions,
  loadDraft,
  makeForm,
  publishForm,
} from '../../src/server/catalog/forms';
import {
  changeRehearsal,
  keepRehearsal,
  listRehearsals,
  removeRehearsal,
  type KeptRehearsal,
} from '../../src/server/catalog/rehearsals';
import { renameTableColumn, renameWholeTable } from '../../src/server/catalog/restructure';
import { loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import {
  acceptedRehearsal,
  publishRehearsed,
  rehearsalOf,
  runRehearsal,
} from '../../src/server/keeping/rehearse';
import { tableSql } from '../../src/server/database/ddl';
import { rowsOf } from '../../src/server/database/rows';
import { readRecords } from '../../src/server/records/read';
import { addRecord, changeRecord, deleteRecord } from '../../src/server/records/write';
import { column, field, lookupOf, planOf, reference, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_rehearsals');
const money = { kind: 'decimal' as const, precision: 10, scale: 2 };
const whole = { kind: 'whole' as const };

const plan = (fee = 'score.price * weeks'): Plan =>
  planOf('loan', [
    field('score', { savesTo: 'score', choices: lookupOf('score') }),
    field('weeks', { savesTo: 'weeks' }),
    field('fee', { savesTo: 'fee', computes: fee }),
  ]);

const steps = [
  { do: 'set', at: 'score', value: 1 },
  { do: 'set', at: 'weeks', value: 4 },
] as const;

const stage = async () => {
  const house = await loadTables(held.db);
  return { db: held.db, house, plan: (await loadDraft(held.db, 'lend')).plan };
};
const formId = async () => (await formHead(held.db, 'lend')).id;
const draft = async (changed: Plan) => {
  const { revision } = await formHead(held.db, 'lend');
  return (await keepDraft(held.db, 'lend', revision, changed, 'test')).revision;
};
const only = async (): Promise<KeptRehearsal> => {
  const [first] = await listRehearsals(held.db, await formId());
  if (!first) throw new Error('no rehearsal');
  return first;
};
const price = async (amount: string) => {
  const house = await loadTables(held.db);
  const wish = { sort: [], filter: [], limit: 1 };
  const [row] = (await readRecords(held.db, house, tableFrom(house, 'score'), wish)).records;
  const score = tableFrom(house, 'score');
  await changeRecord(held.db, house, score, 1, row?.version ?? 0, { price: amount }, 'test');
};

beforeAll(async () => {
  const { db } = held;
  const score = [column('name'), column('price', { type: money })];
  await makeTable(db, table('score', score), 'test');
  const loan = [
    ...[column('note'), reference('score')],
    ...[column('weeks', { type: whole }), column('fee', { type: money })],
  ];
  await makeTable(db, table('loan', loan), 'test');
  const house = await loadTables(db);
  const values = { name: 'Tide and Lantern', price: '2.50' };
  await addRecord(db, house, tableFrom(house, 'score'), values, 'test');
  await makeForm(db, { table: 'loan', key: 'lend', plan: plan() }, 'test');
  await publishForm(db, 'lend', 1, 'test');
}, 60_000);

describe('G11 rehearsals', () => {
  it('are played on what is stored, and kept with what was answered', async () => {
    const filling = { steps: [...steps], asked: {}, link: {}, record: null };
    const rehearsal = await rehearsalOf(await stage(), filling, { name: 'test' });
    expect(rehearsal.expects.find(({ of, at }) => of === 'value' && at === 'fee')?.is).toBe(
      '10.00',
    );
    await keepRehearsal(held.db, await formId(), { name: 'Four weeks', rehearsal }, 'Ottilie');
    expect(await only()).toMatchObject({ name: 'Four weeks', by: 'Ottilie', revision: 1 });
    const again = keepRehearsal(
      held.db,
      await formId(),
      { name: 'Four weeks', rehearsal },
      'Ottilie',
    );
    await expect(again).rejects.toThrow(/named “Four weeks” already/);
    const [loans] = await rowsOf(
      held.db.knex,
      `select count(*) as n from ${tableSql(held.db, 'loan')}`,
    );
    expect(Number(loans?.n)).toBe(0);
  });

  it('judge the form alone as recorded, and what is stored as things are now', async () => {
    await price('3.00');
    const { rehearsal } = await only();
    expect((await runRehearsal(await stage(), rehearsal, 'recorded')).verdict.holds).toBe(true);
    const now = await runRehearsal(await stage(), rehearsal, 'now');
    expect(now.verdict.lines.find(({ of, at }) => of === 'value' && at === 'fee')).toMatchObject({
      ...{ is: '10.00', came: '12.00', fits: false, step: 2 },
    });
    await price('2.50');
  });

  it('keep a wrong draft from being published, but for a word of why', async () => {
    const revision = await draft(plan('score.price * weeks + 1'));
    const where = { db: held.db, house: await loadTables(held.db) };
    await expect(publishRehearsed(where, 'lend', { revision }, 'test')).rejects.toThrow(
      /These rehearsals do not come out as expected: “Four weeks”/,
    );
    expect((await formHead(held.db, 'lend')).edition).toBe(1);
    const why = 'The new tariff holds from May.';
    await publishRehearsed(where, 'lend', { revision, why }, 'test');
    const [newest, first] = await listEditions(held.db, 'lend');
    expect(newest).toMatchObject({ number: 2, over: why });
    expect(first).toMatchObject({ number: 1, over: null });
    const rows = await rowsOf(
      held.db.knex,
      `select rehearsals from \`${held.db.catalog}\`.edition order by number`,
    );
    expect(rows.map(({ rehearsals }) => JSON.stringify(rehearsals)).join()).toContain('Four weeks');
  });

  it('take what comes now as what is expected, one after the other', async () => {
    const before = await only();
    const rehearsal = await acceptedRehearsal(await stage(), before.rehearsal);
    const form = await formId();
    await changeRehearsal(held.db, form, before, { rehearsal }, 'Brida');
    await expect(changeRehearsal(held.db, form, before, { name: 'x' }, 'Nils')).rejects.toThrow(
      /Somebody else has changed this rehearsal/,
    );
    const after = await only();
    expect(after).toMatchObject({ by: 'Brida', revision: 2 });
    expect((await runRehearsal(await stage(), after.rehearsal, 'recorded')).verdict.holds).toBe(
      true,
    );
    // Held, it is published without a word, whatever is said.
    const revision = await draft({ ...plan('score.price * weeks + 1'), title: 'Lend' });
    const where = { db: held.db, house: await loadTables(held.db) };
    await publishRehearsed(where, 'lend', { revision, why: 'Not needed.' }, 'test');
    expect((await listEditions(held.db, 'lend'))[0]).toMatchObject({ number: 3, over: null });
  });

  it('ask anew what the new draft asks otherwise', async () => {
    const narrowed = plan('score.price * weeks + 1');
    const [score] = narrowed.sections[0]?.fields ?? [];
    if (score) {
      score.choices = lookupOf('score', {
        conditions: [{ path: 'name', operator: 'begins_with', values: ['Tide'] }],
      });
    }
    await draft(narrowed);
    const { rehearsal } = await only();
    const run = await runRehearsal(await stage(), rehearsal, 'recorded');
    expect(run.unheard.length).toBeGreaterThan(0);
    expect(run.verdict.holds).toBe(true);
  });

  it('hold whatever is renamed: a field of the draft, a column, a table, and back', async () => {
    const { rehearsal, ...before } = await only();
    const drafted = (await loadDraft(held.db, 'lend')).plan;
    const accepted = await acceptedRehearsal(await stage(), rehearsal);
    await changeRehearsal(held.db, await formId(), before, { rehearsal: accepted }, 'Brida');
    const holds = async () => {
      const { rehearsal: now, revision } = await only();
      const run = await runRehearsal(await stage(), now, 'recorded');
      expect(run).toMatchObject({ unheard: [], verdict: { holds: true, lost: [] } });
      // Whoever has it in front of them can go on with it.
      expect(revision).toBe(before.revision + 1);
      return now;
    };
    const { whole: house } = await loadTables(held.db);
    await draft(renameField(drafted, house, 'weeks', 'duration'));
    const renamed = await holds();
    expect(renamed.steps).toContainEqual({ do: 'set', at: 'duration', value: 4 });
    await renameTableColumn(held.db, 'loan', 'fee', 'charge', 'test');
    await renameTableColumn(held.db, 'score', 'price', 'cost', 'test');
    await renameWholeTable(held.db, 'score', 'work', 'test');
    await renameWholeTable(held.db, 'loan', 'lending', 'test');
    const written = (await holds()).expects.find(({ of }) => of === 'write');
    expect(written?.is).toMatchObject({ table: 'lending', values: { charge: '11.00' } });
    await renameWholeTable(held.db, 'lending', 'loan', 'test');
    await renameWholeTable(held.db, 'work', 'score', 'test');
    await renameTableColumn(held.db, 'score', 'cost', 'price', 'test');
    await renameTableColumn(held.db, 'loan', 'charge', 'fee', 'test');
    await draft(drafted);
    expect(await holds()).toEqual(accepted);
  });

  it('begin with a stored record as it was, and say so where it is gone', async () => {
    const house = await loadTables(held.db);
    const loan = tableFrom(house, 'loan');
    const made = await addRecord(held.db, house, loan, { score: 1, weeks: 2, fee: '6.00' }, 'test');
    const filling = { steps: [], asked: {}, link: {}, record: made.id };
    const rehearsal = await rehearsalOf(await stage(), filling, { name: 'test' });
    await deleteRecord(held.db, house, loan, made.id, made.version, 'test');
    const recorded = await runRehearsal(await stage(), rehearsal, 'recorded');
    expect(recorded.verdict.holds).toBe(true);
    await expect(runRehearsal(await stage(), rehearsal, 'now')).rejects.toThrow(
      /There is no record/,
    );
    await expect(rehearsalOf(await stage(), filling, { name: 'test' })).rejects.toThrow(
      /There is no record/,
    );
  });

  it('can be taken out; what was published with them keeps them', async () => {
    const { id } = await only();
    await removeRehearsal(held.db, await formId(), id);
    expect(await listRehearsals(held.db, await formId())).toEqual([]);
    const [bodies] = await rowsOf(
      held.db.knex,
      `select count(*) as n from \`${held.db.catalog}\`.rehearsal_body`,
    );
    expect(Number(bodies?.n)).toBeGreaterThanOrEqual(2);
  });
});
