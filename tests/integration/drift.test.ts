import { beforeAll, describe, expect, it } from 'vitest';
import type { Plan } from '../../src/core/plan/schema';
import { keepDraft, makeForm, publishForm, formHead } from '../../src/server/catalog/forms';
import { loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { driftByForm } from '../../src/server/keeping/figures';
import {
  beginDrift,
  goOnWithDrift,
  judge,
  lastDrift,
  stopDrift,
  unfinishedDrifts,
  workOnDrift,
} from '../../src/server/keeping/drift';
import { driftFound } from '../../src/server/keeping/drift-found';
import { leaveFound, lookAgain } from '../../src/server/keeping/drift-left';
import { repairDrift } from '../../src/server/keeping/drift-repair';
import { undoSave } from '../../src/server/records/history';
import { readRecords } from '../../src/server/records/read';
import { knownForm } from '../../src/server/records/wired';
import { addRecord, changeRecord } from '../../src/server/records/write';
import { column, field, lookupOf, planOf, reference, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_drift');
const whole = { kind: 'whole' as const };
const ids = new Map<string, number>();
const id = (name: string) => ids.get(name) ?? 0;
const loans = 250;

const plan = (): Plan =>
  planOf('loan', [
    field('region', { savesTo: 'region', choices: lookupOf('region') }),
    field('town', {
      savesTo: 'town',
      choices: lookupOf('town', {
        narrowings: [
          { path: 'region', operator: 'equal', field: 'region', whileEmpty: 'everything' },
        ],
      }),
    }),
    field('weeks', {
      savesTo: 'weeks',
      checks: [{ holds: 'weeks < 10', message: 'Ten weeks are too many.' }],
    }),
    field('fee', { savesTo: 'fee', computes: 'weeks * 3' }),
  ]);

const add = async (key: string, name: string, values: Record<string, unknown>) => {
  const all = await loadTables(held.db);
  ids.set(name, (await addRecord(held.db, all, tableFrom(all, key), values, 'test')).id);
};
const change = async (key: string, record: number, values: Record<string, unknown>) => {
  const all = await loadTables(held.db);
  const [found] = (
    await readRecords(held.db, all, tableFrom(all, key), {
      ...{ sort: [], limit: 1 },
      filter: [{ path: 'id', operator: 'equal', values: [record] }],
    })
  ).records;
  if (!found) throw new Error(`${key} ${record}`);
  await changeRecord(held.db, all, tableFrom(all, key), record, found.version, values, 'test');
};

beforeAll(async () => {
  const { db } = held;
  await makeTable(db, table('region', [column('name')]), 'test');
  await makeTable(db, table('town', [column('name'), reference('region')]), 'test');
  const columns = [
    ...[column('note'), reference('region'), reference('town')],
    ...[column('weeks', { type: whole }), column('fee', { type: whole })],
  ];
  await makeTable(db, table('loan', columns), 'test');
  for (const name of ['North', 'South']) await add('region', name, { name });
  for (const [name, region] of [
    ['Velden', 'North'],
    ['Oakhurst', 'North'],
    ['Saltmere', 'South'],
  ] as const) {
    await add('town', name, { name, region: id(region) });
  }
  const towns = ['Velden', 'Oakhurst', 'Saltmere'];
  for (let i = 0; i < loans; i++) {
    const town = towns[i % 3] ?? '';
    const values = { region: id(town === 'Saltmere' ? 'South' : 'North'), town: id(town) };
    const weeks = 1 + (i % 8);
    await add('loan', `loan ${i}`, { note: `n${i}`, ...values, weeks, fee: weeks * 3 });
  }
  await makeForm(db, { table: 'loan', key: 'lend', plan: plan() }, 'test');
  await publishForm(db, 'lend', 1, 'test');
}, 60_000);

const run = async (against: 'edition' | 'draft' = 'edition') => {
  await workOnDrift(held.db, await beginDrift(held.db, 'lend', against, 'test'));
  const last = await lastDrift(held.db, 'lend');
  if (!last) throw new Error('no run');
  return last;
};
const told = async () => {
  const last = await lastDrift(held.db, 'lend');
  if (!last) throw new Error('no run');
  const found = await driftFound(held.db, await loadTables(held.db), last);
  return found.map(({ kind, field: at, records }) => `${kind} ${at} ${records}`).sort();
};

describe('K2 drift', () => {
  it('finds nothing where everything fits', async () => {
    expect(await run()).toMatchObject({ state: 'done', judged: loans, total: loans, edition: 1 });
    expect(await told()).toEqual([]);
  });

  it('finds what a change in another table has made unfit, with how it is said', async () => {
    await change('town', id('Oakhurst'), { region: id('South') });
    await run();
    expect(await told()).toEqual(['not_offered town 83']);
    const forms = [{ key: 'lend', title: 'Lend' }];
    expect(await driftByForm(held.db, forms)).toMatchObject([
      { form: 'lend', judged: loans, records: 83 },
    ]);
    expect(await driftByForm(held.db, [])).toEqual([]);
    const last = await lastDrift(held.db, 'lend');
    if (!last) throw new Error('no run');
    const [group] = await driftFound(held.db, await loadTables(held.db), last);
    expect(group?.examples[0]).toMatchObject({ value: 'Oakhurst', now: null });
    await change('town', id('Oakhurst'), { region: id('North') });
  });

  it('finds what would come out otherwise, by the draft; repairs it in one save, undone as one', async () => {
    const draft = plan();
    const fee = draft.sections[0]?.fields.find(({ key }) => key === 'fee');
    if (fee) fee.computes = 'if weeks > 6 then weeks * 2 else weeks * 3';
    const { revision } = await formHead(held.db, 'lend');
    await keepDraft(held.db, 'lend', revision, draft, 'test');
    const first = await run('draft');
    expect(first.edition).toBe(0);
    expect(await told()).toEqual(['computed fee 62']);
    // One of them was changed meanwhile: it is left, and told.
    await change('loan', id('loan 6'), { fee: 1 });
    const house = await loadTables(held.db);
    const wish = { kind: 'computed', grid: '', field: 'fee', message: '', take: 'now' } as const;
    const done = await repairDrift(held.db, house, first, wish, 'test');
    expect(done).toMatchObject({ changed: 61, left: 1, more: false });
    await run('draft');
    expect(await told()).toEqual(['computed fee 1']);
    await undoSave(held.db, house, done.submission ?? '', 'test');
    await run('draft');
    expect(await told()).toEqual(['computed fee 62']);
    expect(await run()).toMatchObject({ edition: 1 });
    expect(await told()).toEqual(['computed fee 1']);
    await change('loan', id('loan 6'), { fee: 21 });
  });

  it('says what a repair would change; takes the only value that is offered, or a given one', async () => {
    const { db } = held;
    // Oakhurst moves to the south: loans in the north name a town that is not offered to them.
    await change('town', id('Oakhurst'), { region: id('South') });
    const last = await run();
    const house = await loadTables(db);
    const count = Math.ceil((loans - 1) / 3);
    const wish = { kind: 'not_offered' as const, grid: '', field: 'town', message: '' };
    const plan_ = await repairDrift(
      db,
      house,
      last,
      { ...wish, take: 'only', preview: true },
      'test',
    );
    // In the north one town is left: it is the only one offered.
    expect(plan_).toMatchObject({ submission: null, changed: count, left: 0, unsure: 0 });
    expect(plan_.changes).toHaveLength(count);
    expect(plan_.changes[0]).toMatchObject({ named: 'n1', before: 'Oakhurst', after: 'Velden' });
    expect(await told()).toEqual([`not_offered town ${count}`]);
    // With another town there, nobody can say which.
    await add('town', 'Nearby', { name: 'Nearby', region: id('North') });
    const none = await repairDrift(db, house, last, { ...wish, take: 'only' }, 'test');
    expect(none).toMatchObject({ submission: null, changed: 0, unsure: count });
    const value = { value: id('Nearby') };
    const given = await repairDrift(
      db,
      house,
      last,
      { ...wish, take: value, preview: true },
      'test',
    );
    expect(given.changes[0]).toMatchObject({ before: 'Oakhurst', after: 'Nearby' });
    // What somebody has changed meanwhile is left.
    await change('loan', id('loan 1'), { town: id('Velden') });
    const done = await repairDrift(db, house, last, { ...wish, take: value }, 'test');
    expect(done).toMatchObject({ changed: count - 1, left: 1 });
    await run();
    expect(await told()).toEqual([]);
    await undoSave(db, house, done.submission ?? '', 'test');
    await run();
    expect(await told()).toEqual([`not_offered town ${count - 1}`]);
    const bad = repairDrift(db, house, last, { ...wish, take: { value: 'no town' } }, 'test');
    await expect(bad).rejects.toMatchObject({ problems: [{ path: 'take' }] });
    await change('loan', id('loan 1'), { town: id('Oakhurst') });
    await change('town', id('Oakhurst'), { region: id('North') });
  });

  it('leaves what is to be left, in later runs too, until it is another finding', async () => {
    await change('town', id('Oakhurst'), { region: id('South') });
    const first = await run();
    const wish = { kind: 'not_offered', grid: '', field: 'town', message: '' } as const;
    const groups = async () =>
      (await driftFound(held.db, await loadTables(held.db), await run())).map(
        ({ field: at, records, left }) => [at, records, left?.by ?? null],
      );
    expect(await leaveFound(held.db, first, wish, 'Odile')).toBe(83);
    const forms = [{ key: 'lend', title: 'Lend' }];
    expect(await driftByForm(held.db, forms)).toMatchObject([{ records: 0 }]);
    expect(await groups()).toEqual([['town', 83, 'Odile']]);
    expect(await driftByForm(held.db, forms)).toMatchObject([{ records: 0 }]);
    // What is left is not repaired with the others.
    const house = await loadTables(held.db);
    const last = (await lastDrift(held.db, 'lend')) ?? first;
    const repair = { ...wish, take: { value: id('Velden') } };
    expect(await repairDrift(held.db, house, last, repair, 'test')).toMatchObject({ changed: 0 });
    // Another value that does not fit is another finding.
    await change('loan', id('loan 1'), { town: id('Saltmere') });
    expect(await groups()).toEqual([
      ['town', 1, null],
      ['town', 82, 'Odile'],
    ]);
    const now = (await lastDrift(held.db, 'lend')) ?? first;
    expect(await lookAgain(held.db, now, wish)).toBe(82);
    expect(await groups()).toEqual([['town', 83, null]]);
    // What is again as it was when it was left is left.
    await change('loan', id('loan 1'), { town: id('Oakhurst') });
    expect(await groups()).toEqual([
      ['town', 82, null],
      ['town', 1, 'Odile'],
    ]);
    const again = (await lastDrift(held.db, 'lend')) ?? first;
    expect(await lookAgain(held.db, again, wish)).toBe(1);
    await change('town', id('Oakhurst'), { region: id('North') });
  });

  it('judges anew what was repaired: what fits is gone, what does not is told as it is now', async () => {
    await change('loan', id('loan 2'), { weeks: 12, fee: 36 });
    const first = await run();
    expect(await told()).toEqual(['check weeks 1']);
    const house = await loadTables(held.db);
    const weeks = { kind: 'check', grid: '', field: 'weeks' } as const;
    const wish = { ...weeks, message: 'Ten weeks are too many.', take: { value: 4 } };
    expect(await repairDrift(held.db, house, first, wish, 'test')).toMatchObject({ changed: 1 });
    expect(await told()).toEqual(['computed fee 1']);
    const fee = { kind: 'computed', grid: '', field: 'fee', message: '', take: 'now' } as const;
    expect(await repairDrift(held.db, house, first, fee, 'test')).toMatchObject({ changed: 1 });
    expect(await told()).toEqual([]);
    expect(await driftByForm(held.db, [{ key: 'lend', title: 'Lend' }])).toMatchObject([
      { records: 0 },
    ]);
  });

  it('finds what checks refuse, and what is required and empty', async () => {
    await change('loan', id('loan 3'), { weeks: 12, fee: 36 });
    await run();
    expect(await told()).toEqual(['check weeks 1']);
    await change('loan', id('loan 3'), { weeks: 4, fee: 12 });
  });

  it('goes on where it was stopped, or where its server ended', async () => {
    await change('town', id('Oakhurst'), { region: id('South') });
    const begun = await beginDrift(held.db, 'lend', 'edition', 'test');
    expect(await beginDrift(held.db, 'lend', 'edition', 'test')).toBe(begun);
    expect(await unfinishedDrifts(held.db)).toEqual([begun]);
    const working = workOnDrift(held.db, begun);
    await stopDrift(held.db, begun);
    await working;
    const stopped = await lastDrift(held.db, 'lend');
    expect(stopped?.state).toBe('stopped');
    await workOnDrift(held.db, begun);
    expect((await lastDrift(held.db, 'lend'))?.judged).toBe(stopped?.judged);
    await goOnWithDrift(held.db, begun);
    await workOnDrift(held.db, begun);
    expect(await lastDrift(held.db, 'lend')).toMatchObject({ state: 'done', judged: loans });
    expect(await told()).toEqual(['not_offered town 83']);
    await change('town', id('Oakhurst'), { region: id('North') });
  });

  it('tells texts and empty values as they are', async () => {
    const draft = plan();
    draft.sections[0]?.fields.push(
      field('note', { savesTo: 'note', computes: 'if weeks > 4 then null else "7.50"' }),
    );
    const { revision } = await formHead(held.db, 'lend');
    await keepDraft(held.db, 'lend', revision, draft, 'test');
    const last = await run('draft');
    const [group] = await driftFound(held.db, await loadTables(held.db), last);
    expect(group?.examples.slice(0, 1)).toMatchObject([{ value: 'n0', now: '7.50' }]);
    expect(group?.examples[4]).toMatchObject({ value: 'n4', now: '–' });
  });

  it('judges many records as it judges each', async () => {
    await change('town', id('Velden'), { region: id('South') });
    const house = await loadTables(held.db);
    const form = knownForm(plan(), house);
    const some = Array.from({ length: 30 }, (_, i) => id(`loan ${i}`));
    const all = await judge(held.db, house, form, some);
    const each = await Promise.all(some.map((one) => judge(held.db, house, form, [one])));
    expect(all).toEqual(each.flat());
    expect(all).toHaveLength(10);
    await change('town', id('Velden'), { region: id('North') });
  });
});
