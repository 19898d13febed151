import { beforeAll, describe, expect, it } from 'vitest';
import { askSchema, type Answer, type Offer } from '../../src/core/entry/asks';
import { updateField } from '../../src/core/plan/edit';
import type { Plan } from '../../src/core/plan/schema';
import type { ProblemError } from '../../src/core/problems';
import type { Table } from '../../src/core/table/definition';
import {
  formHead,
  keepDraft,
  loadDraft,
  loadEdition,
  makeForm,
  publishForm,
} from '../../src/server/catalog/forms';
import { loadTables, makeTable } from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import { readForm } from '../../src/server/records/form-read';
import { saveEntry } from '../../src/server/records/save';
import { addRecord, deleteRecord } from '../../src/server/records/write';
import { column, field, loanPlan, lookupOf, planOf, table } from '../support/definitions';
import { makeBorrowers, useDatabase } from '../support/house';

const held = useDatabase('t_forms');
const ids: Record<string, number> = {};

async function add(of: string, values: Record<string, unknown>): Promise<number> {
  const tables = await loadTables(held.db);
  return (await addRecord(held.db, tables, tables.get(of) as Table, values, 'test')).id;
}

beforeAll(async () => {
  await makeBorrowers(held.db);
  for (const name of ['North', 'South', 'Empty']) ids[name] = await add('region', { name });
  ids.Velden = await add('town', { name: 'Velden', region: ids.North });
  ids.Brook = await add('town', { name: 'Brook', region: ids.North });
  ids.Oakhurst = await add('town', { name: 'Oakhurst', region: ids.South });
  ids.Winds = await add('ensemble', { name: 'Velden Winds', code: '0042', town: ids.Velden });
  ids.Band = await add('ensemble', { name: 'Oakhurst Band', code: '42', town: ids.Oakhurst });
  await makeForm(held.db, { table: 'loan', key: 'lend', plan: loanPlan() }, 'test');
  await publishForm(held.db, 'lend', 1, 'test');
});

async function read(plan: Plan, values: Record<string, unknown>, ...asks: object[]) {
  const given = asks.map((ask, i) => askSchema.parse({ id: `a${i}`, ...ask }));
  const told: { asks: string[]; answers: string[] } = { asks: [], answers: [] };
  const answers = await readForm(
    held.db,
    await loadTables(held.db),
    plan,
    { values, asks: given },
    {},
    held.db,
    (read, answered) => {
      told.asks.push(...read.map(({ id }) => id));
      told.answers.push(...answered.map(({ id }) => id));
    },
  );
  // What follows is told with what was asked for it, so that a slow one can be noted.
  expect(told.answers.filter((id) => !told.asks.includes(id))).toEqual([]);
  return answers;
}

const offer = (answers: Answer[], id = 'a0') => {
  const found = answers.find((answer) => answer.id === id);
  if (!found || 'failed' in found) throw new Error(`no offer ${id}`);
  return found as Offer;
};
const shown = (from: Offer) => from.choices.map((choice) => choice.shown.join(' '));
const codes = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('was not refused'),
    (error: ProblemError) => error.problems.map((p) => `${p.path}:${p.code}`),
  );

describe('B2 C1 choices come from tables, narrowed by other fields', () => {
  it('offers what fits, in order, and confirms the current value', async () => {
    const answers = await read(
      loanPlan(),
      { region: ids.North, town: ids.Velden },
      { field: 'town' },
    );
    const town = offer(answers);
    expect(shown(town)).toEqual(['Brook', 'Velden']);
    expect(town).toMatchObject({ found: 2, current: { value: ids.Velden } });
  });

  it('answers in the same response what follows from a value that is cleared', async () => {
    const values = { region: ids.South, town: ids.Velden, ensemble: ids.Winds };
    const answers = await read(loanPlan(), values, { field: 'town' });
    expect(offer(answers)).toMatchObject({ current: null, known: { shown: ['Velden'] } });
  });

  it('takes a single choice and goes on with it in the same response', async () => {
    const plan = planOf('loan', [
      ...(loanPlan().sections[0]?.fields ?? []),
      field('more', {
        choices: lookupOf('town', {
          narrowings: [
            { path: 'id', operator: 'not_equal', field: 'number', whileEmpty: 'everything' },
          ],
        }),
      }),
    ]);
    const answers = await read(
      plan,
      { region: ids.North, town: ids.Velden },
      { field: 'ensemble' },
    );
    expect(offer(answers).found).toBe(1);
  });

  it('narrows through a reference, and by contains', async () => {
    const by = (path: string, operator: 'equal' | 'contains', name: string) => ({
      narrowings: [{ path, operator, field: name, whileEmpty: 'everything' as const }],
    });
    const plan = planOf('loan', [
      field('region', { choices: lookupOf('region') }),
      field('word'),
      field('far', { choices: lookupOf('ensemble', by('town.region', 'equal', 'region')) }),
      field('like', { choices: lookupOf('ensemble', by('town.name', 'contains', 'word')) }),
    ]);
    const answers = await read(
      plan,
      { region: ids.South, word: 'eld' },
      { field: 'far' },
      { field: 'like' },
    );
    expect(shown(offer(answers, 'a0'))).toEqual(['Oakhurst Band']);
    expect(shown(offer(answers, 'a1'))).toEqual(['Velden Winds']);
  });

  it('keeps to constant conditions', async () => {
    const conditions = [{ path: 'name', operator: 'begins_with' as const, values: ['s'] }];
    const plan = planOf('loan', [field('region', { choices: lookupOf('region', { conditions }) })]);
    expect(shown(offer(await read(plan, {}, { field: 'region' })))).toEqual(['South']);
  });

  it('C4 an empty list counts what each condition removed', async () => {
    const answers = await read(loanPlan(), { region: ids.Empty }, { field: 'town' });
    expect(offer(answers)).toMatchObject({
      found: 0,
      empty: { total: 3, conditions: [{ path: 'region', field: 'region', without: 3 }] },
    });
    const search = offer(
      await read(loanPlan(), { region: ids.North }, { field: 'town', search: 'zzz' }),
    );
    expect(search.empty?.withoutSearch).toBe(2);
  });

  it('B10 whoever adds a row sees it the next time', async () => {
    const before = offer(await read(loanPlan(), {}, { field: 'region', search: '' }));
    await add('region', { name: 'Newly' });
    const after = offer(await read(loanPlan(), {}, { field: 'region', search: '' }));
    expect(after.found).toBe(before.found + 1);
  });

  it('answers only for fields of the plan that have choices', async () => {
    expect(await codes(read(loanPlan(), {}, { field: 'password' }))).toEqual([
      'password:unknown_field',
    ]);
    expect(await codes(read(loanPlan(), {}, { field: 'number' }))).toEqual(['number:no_choices']);
    expect(await codes(read(loanPlan(), {}, { field: 'region', after: 'x' }))).toEqual([
      ':bad_request',
    ]);
  });
});

describe('B3 B5 distinct values, search and pages', () => {
  beforeAll(async () => {
    const accessory = table('accessory', [column('category'), column('article'), column('gauge')]);
    await makeTable(held.db, accessory, 'test');
    for (const [category, article, gauge] of [
      ['Reeds', 'Clarinet reed', '2½'],
      ['Reeds', 'Clarinet reed', '3'],
      ['Reeds', 'Oboe reed', null],
      ['Strings', 'Cello string', 'medium'],
    ]) {
      await add('accessory', { category, article, gauge });
    }
    await makeTable(
      held.db,
      table('score', [column('code'), column('title'), column('composer')]),
      'test',
    );
    for (let i = 1; i <= 120; i++) {
      const code = `SC-${String(i).padStart(4, '0')}`;
      const title = i % 3 === 0 ? 'Waltz of Lanterns' : 'Elegy for the Harbour';
      await add('score', { code, title, composer: i % 2 ? 'Hesper Quist' : 'Joran Velden' });
    }
  });

  const distinct = (name: string, by: string[]) =>
    field(name, {
      choices: lookupOf('accessory', {
        shown: [name],
        stores: { kind: 'copy', column: name },
        distinct: true,
        order: [],
        narrowings: by.map((key) => ({
          path: key,
          operator: 'equal',
          field: key,
          whileEmpty: 'nothing',
        })),
      }),
    });
  const accessories = planOf('loan', [
    distinct('category', []),
    distinct('article', ['category']),
    distinct('gauge', ['category', 'article']),
  ]);
  const scores = planOf('loan', [
    field('score', {
      choices: lookupOf('score', {
        shown: ['code', 'title', 'composer'],
        order: [{ path: 'code', descending: false }],
      }),
    }),
  ]);

  it('offers each value of one flat table once, step by step', async () => {
    const all = offer(await read(accessories, {}, { field: 'category' }));
    expect(all.choices.map((c) => c.value)).toEqual(['Reeds', 'Strings']);
    const values = { category: 'Reeds', article: 'Clarinet reed' };
    const answers = await read(accessories, values, { field: 'article' }, { field: 'gauge' });
    expect(offer(answers, 'a0').choices.map((c) => c.value)).toEqual([
      'Clarinet reed',
      'Oboe reed',
    ]);
    expect(offer(answers, 'a1').choices.map((c) => c.value)).toEqual(['2½', '3']);
    expect(offer(answers, 'a1').found).toBe(2);
  });

  it.each(['looked through', 'indexed'])('finds words over all shown columns, %s', async (way) => {
    if (way === 'indexed') {
      await makeForm(
        held.db,
        {
          table: 'score',
          key: 'scores',
          plan: planOf('score', [...(scores.sections[0]?.fields ?? []).map((f) => ({ ...f }))]),
        },
        'test',
      );
      await publishForm(held.db, 'scores', 1, 'test');
      const indexes = (await loadTables(held.db)).get('score')?.indexes;
      expect(indexes).toContainEqual({ kind: 'search', columns: ['code', 'title', 'composer'] });
    }
    const search = async (text: string) =>
      offer(await read(scores, {}, { field: 'score', search: text }));
    expect((await search('lantern quist')).found).toBe(20);
    expect((await search('LANTERNS velden')).found).toBe(20);
    expect(shown(await search('sc-0042'))).toEqual(['SC-0042 Waltz of Lanterns Joran Velden']);
    expect((await search('antern')).found).toBe(0);
    expect((await search('of')).found).toBe(40);
    for (const hostile of ['"', '+-*()~<>@', "' or 1=1 --", '%', '\\', '½']) {
      expect((await search(hostile)).found, hostile).toBe(0);
    }
  });

  it('puts an exact key first, and pages without gaps or repeats', async () => {
    await add('score', { code: 'ZZ', title: 'SC-0007', composer: 'Nobody' });
    const first = offer(await read(scores, {}, { field: 'score', search: 'SC-0007' }));
    expect(first.choices[0]?.shown[0]).toBe('SC-0007');
    const seen = new Set<unknown>();
    let after: string | undefined;
    let pages = 0;
    do {
      const page = offer(
        await read(
          scores,
          {},
          { field: 'score', search: 'quist', limit: 25, ...(after ? { after } : {}) },
        ),
      );
      page.choices.forEach((choice) => seen.add(choice.value));
      after = page.next ?? undefined;
      pages++;
    } while (after);
    expect([seen.size, pages]).toEqual([60, 3]);
  });
});

describe('G1 G8 drafts and editions', () => {
  it('keeps a draft only from the revision that was seen', async () => {
    await makeForm(held.db, { table: 'loan', key: 'drafted' }, 'test');
    const { plan } = await loadDraft(held.db, 'drafted');
    const changed = updateField(plan, 'number', { label: 'Loan number' });
    await keepDraft(held.db, 'drafted', 1, changed, 'test');
    expect(await codes(keepDraft(held.db, 'drafted', 1, plan, 'other'))).toEqual([
      ':draft_changed',
    ]);
    expect((await loadDraft(held.db, 'drafted')).plan).toEqual(changed);
  });

  it('keeps a draft in the place of one that is no plan any more', async () => {
    const { form, plan } = await loadDraft(held.db, 'lend');
    const forms = () => held.db.knex('form').withSchema(held.db.catalog).where({ id: form.id });
    await forms().update({ draft: '{"of": "nothing"}', draft_revision: form.revision + 1 });
    await expect(loadDraft(held.db, 'lend')).rejects.toThrow();
    await keepDraft(held.db, 'lend', form.revision + 1, plan, 'test');
    expect((await loadDraft(held.db, 'lend')).plan).toEqual(plan);
  });

  it('publishes a frozen edition, and refuses a plan with problems', async () => {
    await publishForm(held.db, 'drafted', 2, 'test');
    const { plan } = await loadDraft(held.db, 'drafted');
    await keepDraft(
      held.db,
      'drafted',
      2,
      updateField(plan, 'number', { savesTo: 'gone' }),
      'test',
    );
    expect(await codes(publishForm(held.db, 'drafted', 3, 'test'))).toEqual([
      'number:saves_to_missing',
    ]);
    expect((await formHead(held.db, 'drafted')).edition).toBe(1);
    expect((await loadEdition(held.db, 'drafted')).plan).toEqual(plan);
    expect(await codes(loadEdition(held.db, 'drafted', 9))).toEqual([':unknown_edition']);
    expect(await codes(loadEdition(held.db, 'nothing'))).toEqual([':unknown_form']);
  });
});

describe('F1 F3 F9 saving', () => {
  let n = 0;
  const submission = () => `test-submission-${++n}`;
  const save = (values: Record<string, unknown>, as = submission()) =>
    saveEntry(held.db, 'lend', { submission: as, edition: 1, values, rows: {} }, 'test');
  const sound = () => ({
    region: ids.North,
    town: ids.Velden,
    ensemble: ids.Winds,
    lent_on: '2027-03-01',
  });
  const loans = async () => {
    const [[row]] = await held.db.knex.raw(
      `select count(*) as n from ${tableSql(held.db, 'loan')}`,
    );
    return Number(row.n);
  };

  it('writes the linked record and says what was written', async () => {
    const receipt = await save({ ...sound(), number: 'L-1' });
    expect(receipt.records).toMatchObject([
      { table: 'loan', action: 'inserted', shown: 'Velden Winds' },
    ]);
    const sql = `select l.number, e.name from ${tableSql(held.db, 'loan')} l join ${tableSql(held.db, 'ensemble')} e on e.id = l.ensemble where l.id = ?`;
    const [rows] = await held.db.knex.raw(sql, [receipt.records[0]?.id ?? 0]);
    expect(rows).toEqual([{ number: 'L-1', name: 'Velden Winds' }]);
    const journal = await held.db
      .knex('journal')
      .withSchema(held.db.catalog)
      .where({ submission: receipt.submission });
    expect(journal).toMatchObject([
      { kind: 'entry', form_key: 'lend', edition: 1, by_person: 'test' },
    ]);
  });

  it('refuses with all problems at once, and writes nothing', async () => {
    const before = await loans();
    expect(await codes(save({ lent_on: '2027-02-30', number: 'x'.repeat(300) }))).toEqual([
      'ensemble:required',
      'number:too_long',
      'lent_on:not_date',
    ]);
    expect(await loans()).toBe(before);
  });

  it('refuses a choice that is not offered under the other values, however it was sent', async () => {
    expect(await codes(save({ ...sound(), ensemble: ids.Band }))).toEqual(['ensemble:not_offered']);
    expect(await codes(save({ ...sound(), town: ids.Oakhurst }))).toEqual([
      'town:not_offered',
      'ensemble:not_offered',
    ]);
    expect(await codes(save({ ensemble: ids.Winds }))).toEqual(['ensemble:not_offered']);
    expect(await codes(save({ ...sound(), ensemble: '1; drop table loan' }))).toEqual([
      'ensemble:not_reference',
    ]);
    expect(await codes(save({ ...sound(), secret: 1 }))).toEqual(['secret:unknown_field']);
  });

  it('refuses a reference to a record that was deleted meanwhile', async () => {
    const town = await add('town', { name: 'Fading', region: ids.North });
    const gone = await add('ensemble', { name: 'Fading Band', code: 'F', town });
    const tables = await loadTables(held.db);
    await deleteRecord(held.db, tables, tables.get('ensemble') as Table, gone, 1, 'test');
    expect(await codes(save({ ...sound(), town, ensemble: gone }))).toEqual([
      'ensemble:not_offered',
    ]);
  });

  it('a value that is taken is a problem at its field', async () => {
    await save({ ...sound(), number: 'L-7' });
    expect(await codes(save({ ...sound(), number: 'L-7' }))).toEqual(['number:not_unique']);
  });

  it('the same submission five times at once writes once', async () => {
    const before = await loans();
    const as = submission();
    const receipts = await Promise.all([1, 2, 3, 4, 5].map(() => save(sound(), as)));
    expect(await loans()).toBe(before + 1);
    expect(new Set(receipts.map((r) => r.records[0]?.id)).size).toBe(1);
    expect(await save(sound(), as)).toEqual(receipts[0]);
  });

  it('of two clerks that save one unique number at once, one is refused with a sentence', async () => {
    const both = await Promise.allSettled([1, 2].map(() => save({ ...sound(), number: 'L-99' })));
    expect(both.map((r) => r.status).sort()).toEqual(['fulfilled', 'rejected']);
    const refused = both.find((r) => r.status === 'rejected') as PromiseRejectedResult;
    expect(refused.reason.problems[0].code).toBe('not_unique');
  });
});
