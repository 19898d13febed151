import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { never } from '../../src/core/access/sight';
import { Rights } from '../../src/core/access/rights';
import { roleSchema } from '../../src/core/access/role';
import type { House } from '../../src/core/table/definition';
import { seenHouse, sightOf } from '../../src/core/table/seen';
import type { Value } from '../../src/core/values/types';
import { loadTables, tableFrom } from '../../src/server/catalog/tables';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { ConflictError } from '../../src/server/records/conflicts';
import { countTables } from '../../src/server/records/count';
import { findDependencies } from '../../src/server/records/dependencies';
import { findRecords } from '../../src/server/records/find';
import { readForm } from '../../src/server/records/form-read';
import { historyOf, undoSave } from '../../src/server/records/history';
import { openForForm } from '../../src/server/records/open-form';
import { readRecord, readRecords } from '../../src/server/records/read';
import { referringTo } from '../../src/server/records/referring';
import { saveEntry } from '../../src/server/records/save';
import { listSaves } from '../../src/server/records/saves';
import { lookAt } from '../../src/server/records/viewed';
import { addRecord, changeRecord, deleteRecord } from '../../src/server/records/write';
import { plainView } from '../../src/core/table/view';
import { field, lookupOf, planOf } from '../support/definitions';
import { makeLending, useDatabase } from '../support/house';

const by = (name: string) =>
  ({ path: name, operator: 'equal', field: name, whileEmpty: 'everything' }) as const;
/** region → town → ensemble. */
const lending = planOf('loan', [
  field('region', { choices: lookupOf('region') }),
  field('town', { choices: lookupOf('town', { narrowings: [by('region')] }) }),
  field('ensemble', {
    savesTo: 'ensemble',
    choices: lookupOf('ensemble', { narrowings: [by('town')] }),
  }),
]);

const held = useDatabase('unisor_sight');
let id: (table: string, known: number) => number;

beforeAll(async () => {
  id = await makeLending(held.db);
  await makeForm(held.db, { key: 'lend', table: 'loan', plan: lending }, 'test');
  await publishForm(held.db, 'lend', 1, 'test');
});

const conditions = {
  region: 'id = person.region',
  town: 'region = person.region',
  ensemble: 'town.region.name = person.region.name',
  loan: 'ensemble.town.region = person.region',
};

async function houseOf(region: number | null, hidden: string[] = []): Promise<House> {
  const whole = await loadTables(held.db);
  const tables = Object.fromEntries(
    [...whole.keys()].map((key) => [
      key,
      {
        does: ['see', 'add', 'change', 'remove'],
        when: key in conditions ? conditions[key as keyof typeof conditions] : '',
        hidden: key === 'ensemble' ? hidden : [],
      },
    ]),
  );
  const rights = new Rights([roleSchema.parse({ key: 'clerk', title: 'Clerk', tables })]);
  const name = region === null ? null : `Region ${region}`;
  const values: Record<string, Value> =
    region === null ? {} : { region: id('region', region), 'region.name': name };
  return seenHouse(whole, sightOf(whole, rights, values));
}

/** Whatever is told of the tables to somebody: pages, searches, counts, totals, choices, history, saves. */
async function told(house: House, search: string): Promise<unknown> {
  const { db } = held;
  const answers: unknown[] = [[...(await countTables(db, house))]];
  const view = { ...plainView, totals: [{ column: 'name', kind: 'count' as const }] };
  for (const table of house.values()) {
    const wish = { filter: [], sort: [], search, limit: 50 };
    const page = await readRecords(db, house, table, wish);
    answers.push(page, await readRecords(db, house, table, { ...wish, search: '' }));
    answers.push(await findDependencies(db, house, table));
    if (table.columns.some(({ key }) => key === 'name')) {
      const looked = { ...{ search: '', after: undefined, limit: 50, open: null } };
      const picture = { by: 'name', total: null };
      const grouped = { ...view, filter: [], group: 'name', picture };
      answers.push(await lookAt(db, house, table, { ...looked, view: grouped }));
      for (const { key } of table.columns) {
        const drawn = { ...view, picture: { by: key, total: null } };
        const one = await lookAt(db, house, table, { ...looked, view: drawn });
        answers.push(one.pictured);
      }
    }
    for (const record of page.records.slice(0, 3)) {
      answers.push(await historyOf(db, house, table, record));
      answers.push(await referringTo(db, house, table, record.id));
    }
  }
  answers.push(await findRecords(db, house, search || 'Town'));
  answers.push(await listSaves(db, house, { limit: 30 }));
  const { plan } = await openForForm(db, 'lend', {}, house);
  for (const field of ['region', 'town', 'ensemble']) {
    const given = { region: id('region', 2), town: id('town', 13) };
    const ask = { id: field, kind: 'list' as const, field, given, current: null };
    const [answer] = await readForm(db, house, plan, { asks: [{ ...ask, search, limit: 20 }] });
    answers.push({ ...answer, took: 0 });
  }
  return JSON.parse(JSON.stringify(answers, (key, value) => (key === 'took' ? 0 : value)));
}

describe('L3 rights by record', () => {
  it('tell nothing of records out of sight: answers are the same with and without them', async () => {
    const { db } = held;
    const whole = await loadTables(db);
    const table = (key: string) => tableFrom(whole, key);
    const mine = await houseOf(1);
    const word = fc.constantFrom('Town', 'Ensemble', 'Harrow', 'Region', 'S-1', '');
    const foreign = fc.record({
      towns: fc.array(fc.constantFrom('Harrow', 'Town 11', 'Town 99', 'Ensemble'), {
        minLength: 1,
        maxLength: 3,
      }),
      search: word,
    });
    await fc.assert(
      fc.asyncProperty(foreign, async ({ towns, search }) => {
        const before = await told(mine, search);
        const made: (() => Promise<unknown>)[] = [];
        const add = async (key: string, values: Record<string, unknown>) => {
          const { id, version } = await addRecord(db, whole, table(key), values, 'other');
          made.unshift(() => deleteRecord(db, whole, table(key), id, version, 'other'));
          return id;
        };
        for (const name of towns) {
          const town = await add('town', { name, region: id('region', 2) });
          const ensemble = await add('ensemble', { name: `${name} ensemble`, town });
          await add('loan', { ensemble, note: name, copies: 3 });
        }
        const after = await told(mine, search);
        for (const undo of made) await undo();
        expect(after).toEqual(before);
      }),
      { numRuns: 8 },
    );
  }, 120_000);

  it('show what is one’s own', async () => {
    const counts = await countTables(held.db, await houseOf(1));
    expect(counts.get('region')).toBe(1);
    expect(counts.get('town')).toBe(2);
    expect(counts.get('ensemble')).toBe(3);
    expect(counts.get('score')).toBe(2);
  });

  it('show nothing to somebody who stands for nothing', async () => {
    const counts = await countTables(held.db, await houseOf(null));
    expect([counts.get('region'), counts.get('town'), counts.get('ensemble')]).toEqual([0, 0, 0]);
  });

  it('answer a record out of sight as one that is not there', async () => {
    const { db } = held;
    const house = await houseOf(2);
    const town = tableFrom(house, 'town');
    const other = id('town', 11);
    const gone = { problems: [{ code: 'unknown_record' }] };
    await expect(readRecord(db, db.knex, house, town, other)).rejects.toMatchObject(gone);
    const change = changeRecord(db, house, town, other, 1, { name: 'Mine' }, 'me');
    await expect(change).rejects.toMatchObject(gone);
    await expect(deleteRecord(db, house, town, other, 1, 'me')).rejects.toMatchObject(gone);
  });

  it('let nobody move a record out of their sight, or refer to one there', async () => {
    const { db } = held;
    const house = await houseOf(2);
    const town = tableFrom(house, 'town');
    const { id: own, version } = await addRecord(
      db,
      house,
      town,
      { name: 'New town', region: id('region', 2) },
      'me',
    );
    const away = changeRecord(db, house, town, own, version, { region: null }, 'me');
    await expect(away).rejects.toMatchObject({ problems: [{ code: 'record_not_allowed' }] });
    const region = id('region', 1);
    const foreign = changeRecord(db, house, town, own, version, { region }, 'me');
    await expect(foreign).rejects.toMatchObject({ problems: [{ code: 'record_gone' }] });
    const hidden = addRecord(db, house, town, { name: 'No region' }, 'me');
    await expect(hidden).rejects.toMatchObject({ problems: [{ code: 'record_not_allowed' }] });
    await deleteRecord(db, house, town, own, version, 'me');
  });

  it('refuse in a form what is not offered to whoever fills it in', async () => {
    const { db } = held;
    const ensemble = id('ensemble', 21);
    const values = { region: id('region', 1), town: id('town', 11), ensemble };
    const entry = (submission: string) => ({ submission, edition: 1, values });
    const save = saveEntry(db, 'lend', entry('foreign-1'), 'me', { house: await houseOf(2) });
    await expect(save).rejects.toMatchObject({ problems: expect.any(Array), status: 422 });
    const own = await saveEntry(db, 'lend', entry('own-000001'), 'me', { house: await houseOf(1) });
    const [loan] = own.records;
    expect(loan?.table).toBe('loan');
    const open = openForForm(db, 'lend', { record: loan?.id ?? 0 }, await houseOf(2));
    await expect(open).rejects.toMatchObject({ status: 404 });
    const undo = undoSave(db, await houseOf(2), 'own-000001', 'other', () => true);
    await expect(undo).rejects.toMatchObject({ problems: [{ code: 'nothing_to_undo' }] });
    const notMine = undoSave(db, await houseOf(1), 'own-000001', 'other', () => false);
    await expect(notMine).rejects.toMatchObject({ problems: [{ code: 'not_allowed' }] });
    await undoSave(db, await houseOf(1), 'own-000001', 'me', () => false);
  });

  it('let a form offer everything, where its designer says so, and only there', async () => {
    const { db } = held;
    const open = { ...lookupOf('ensemble'), everyone: true };
    const plan = planOf('loan', [
      field('ensemble', { savesTo: 'ensemble', choices: open }),
      field('town', { choices: lookupOf('town') }),
    ]);
    await makeForm(db, { key: 'open_lend', table: 'loan', plan }, 'test');
    await publishForm(db, 'open_lend', 1, 'test');
    const house = await houseOf(2);
    const ask = (name: string) => ({ id: name, kind: 'list' as const, field: name, current: null });
    const answers = await readForm(db, house, plan, { asks: [ask('ensemble'), ask('town')] });
    const found = answers.map((answer) => ('found' in answer ? answer.found : -1));
    expect(found).toEqual([3, 1]);
    const values = { ensemble: id('ensemble', 21) };
    const entry = { submission: 'everyone-1', edition: 1, values };
    expect((await saveEntry(db, 'open_lend', entry, 'me', { house })).records).toHaveLength(1);
  });

  it('say of a reference to a record out of sight that it is not visible', async () => {
    const { db } = held;
    const whole = await loadTables(db);
    const loan = tableFrom(whole, 'loan');
    const values = { ensemble: id('ensemble', 21), score: id('score', 31) };
    const made = await addRecord(db, whole, loan, values, 'test');
    const sight = new Map((await houseOf(1)).sight);
    sight.delete('score');
    const plain = { hidden: new Set<string>(), shut: new Set<string>() };
    sight.set('ensemble', { ...plain, when: never });
    sight.set('loan', { ...plain, when: null });
    const house = seenHouse(whole, sight);
    const read = await readRecord(db, db.knex, house, tableFrom(house, 'loan'), made.id);
    expect(read.shown).toMatchObject({
      ensemble: 'not visible to you',
      score: 'not visible to you',
    });
    await deleteRecord(db, whole, loan, made.id, made.version, 'test');
  });

  it('name no record out of sight in a receipt or in a conflict', async () => {
    const { db } = held;
    const whole = await loadTables(db);
    const sight = new Map((await houseOf(1)).sight);
    sight.set('loan', { when: null, hidden: new Set(), shut: new Set() });
    const house = seenHouse(whole, sight);
    const plan = planOf(
      'loan',
      [field('ensemble', { savesTo: 'ensemble', choices: lookupOf('ensemble') })],
      {
        writes: [
          {
            table: 'town',
            each: null,
            on: 'new',
            record: null,
            when: null,
            values: { name: '"Written"', region: 'ensemble.town.region' },
          },
        ],
      },
    );
    await makeForm(db, { key: 'lend_and_write', table: 'loan', plan }, 'test');
    await publishForm(db, 'lend_and_write', 1, 'test');
    const seen = id('ensemble', 21);
    const away = { name: 'Away', town: id('town', 13) };
    const { id: unseen } = await addRecord(db, whole, tableFrom(whole, 'ensemble'), away, 'test');
    const entry = { submission: 'receipt-01', edition: 1, values: { ensemble: seen } };
    const blind = seenHouse(whole, new Map([...sight].filter(([key]) => key !== 'town')));
    for (const again of [1, 2]) {
      const { records } = await saveEntry(db, 'lend_and_write', entry, 'me', { house: blind });
      const names = records.map(({ table, shown }) => [table, shown]);
      expect(names, `save ${again}`).toEqual([
        ['loan', expect.stringMatching(/./)],
        ['town', ''],
      ]);
    }
    const guest = { ...entry, submission: 'receipt-02' };
    for (const again of [1, 2]) {
      const told = await saveEntry(db, 'lend_and_write', guest, 'a guest', { guest: true });
      expect(
        told.records.map(({ table }) => table),
        `save ${again}`,
      ).toEqual(['loan']);
    }
    const [made] = (
      await saveEntry(db, 'lend_and_write', { ...entry, submission: 'receipt-03' }, 'me', { house })
    ).records;
    const loan = tableFrom(whole, 'loan');
    const record = { id: made?.id ?? 0, version: 1 };
    await changeRecord(db, whole, loan, record.id, record.version, { ensemble: unseen }, 'other');
    const mine = { ...entry, submission: 'conflict-1', record, values: { ensemble: null } };
    const refused = await saveEntry(db, 'lend_and_write', mine, 'me', { house }).catch(
      (e: unknown) => e,
    );
    expect(refused).toBeInstanceOf(ConflictError);
    const { shown, conflicts } = refused as ConflictError;
    expect(conflicts).toMatchObject([{ column: 'ensemble', base: seen, theirs: unseen }]);
    expect(shown).toHaveProperty([`ensemble ${seen}`]);
    expect(shown).not.toHaveProperty([`ensemble ${unseen}`]);
  });

  it('keep hidden columns out of every answer', async () => {
    const { db } = held;
    const house = await houseOf(1, ['contact', 'rate']);
    const text = JSON.stringify(await told(house, 'Ensemble'));
    expect(text).not.toContain('Odile');
    expect(text).not.toContain('"rate"');
    const typed = { name: 'New', town: id('town', 11), contact: 'Somebody' };
    const add = addRecord(db, house, tableFrom(house, 'ensemble'), typed, 'me');
    await expect(add).rejects.toMatchObject({ problems: [{ code: 'unknown_column' }] });
  });
});
