import { randomUUID } from 'node:crypto';
import { beforeAll, describe, expect, it } from 'vitest';
import { demoQuestions } from '../../demo/questions';
import { hashesOf } from '../../src/core/plan/asked-sheet';
import { planSchema } from '../../src/core/plan/schema';
import { ProblemError } from '../../src/core/problems';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { renameWholeTable } from '../../src/server/catalog/restructure';
import { loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import { rowsOf } from '../../src/server/database/rows';
import { undoSave } from '../../src/server/records/history';
import { openForForm } from '../../src/server/records/open-form';
import { askedForm } from '../../src/server/records/questions';
import { saveEntry, type EntryRequest } from '../../src/server/records/save';
import { addRecord, changeRecord, deleteRecord } from '../../src/server/records/write';
import { hallCheck } from '../../demo/plans/hall-check';
import { demoTables } from '../../demo/tables';
import { useDatabase } from '../support/house';

const held = useDatabase('t_sheets');
const tables = () => loadTables(held.db);
/** Rows of questions by code; of the hall where a code stands in both. */
const rows = new Map<string, number>();
let towns: number;
let plan = planSchema.parse(hallCheck);

beforeAll(async () => {
  const wanted = [
    'region',
    'town',
    'ensemble',
    'check_question',
    'hall_check',
    'hall_check_answer',
  ];
  const size = { scores: 0, instruments: 0, loans: 0, reports: 0, sheets: 0 };
  for (const { key, title, display, columns } of demoTables(size)) {
    if (!wanted.includes(key)) continue;
    const plain = columns.map(({ match: _, ...column }) => {
      const { type } = column;
      return type.kind === 'option' ? { ...column, type: { ...type, list: undefined } } : column;
    });
    await makeTable(held.db, { key, title, display, columns: plain, indexes: [] }, 'test');
  }
  const region = await add('region', { name: 'North Marches' });
  towns = await add('town', { name: 'Velden', region });
  for (const [place, one] of demoQuestions.entries()) {
    const { checklist, code, heading, text, kind, required, choices = null, when = null } = one;
    const [points, least, greatest] = [one.points, one.least, one.greatest].map((n) =>
      n?.toFixed(2),
    );
    const id = await add('check_question', {
      ...{
        checklist,
        place,
        code,
        heading,
        question: text,
        kind,
        must: required ?? false,
        choices,
      },
      ...{ asked_when: when, points: points ?? null, least: least ?? null },
      greatest: greatest ?? null,
    });
    if (!rows.has(code)) rows.set(code, id);
  }
  await makeForm(held.db, { key: 'hall_check', table: plan.table, plan }, 'test');
  await publishForm(held.db, 'hall_check', 1, 'test');
});

async function add(table: string, values: Record<string, unknown>): Promise<number> {
  const all = await tables();
  return (await addRecord(held.db, all, tableFrom(all, table), values, 'test')).id;
}

const hall = {
  ...{
    checklist: 'chamber_hall',
    hall: 'Guildhall',
    checked_on: '2026-03-01',
    checked_by: 'Brida',
  },
  ...{ door: 120, lift: false, steps: 8, heating: 'Stove', steady: 4, locked: false },
};
type Sent = Partial<EntryRequest> & Pick<EntryRequest, 'values'>;
const save = (sent: Sent, by = 'test') =>
  saveEntry(held.db, 'hall_check', { submission: randomUUID(), edition: 1, ...sent }, by);
const fresh = async (values: Record<string, unknown> = {}) => {
  const receipt = await save({ values: { town: towns, ...hall, ...values } });
  return receipt.records[0]?.id ?? expect.fail('nothing was written');
};
const open = async (record: number) => {
  const held_ = await openForForm(held.db, 'hall_check', { record }, await tables());
  const { opened, sets, asked } = held_;
  if (!opened) return expect.fail('not there');
  const { id, version } = opened.stored;
  return { values: opened.values, sets, asked, record: { id, version }, opened };
};
const answers = async (record: number) => {
  const sql = `select code, asked, check_question, words, amount, yes, choice from ${tableSql(held.db, 'hall_check_answer')}
    where hall_check = ? order by id`;
  return rowsOf(held.db.knex, sql, [record]);
};
const refused = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('was not refused'),
    (error: ProblemError) => error.problems.map(({ path, code }) => `${path}:${code}`),
  );
const change = async (code: string, values: Record<string, unknown>) => {
  const all = await tables();
  const id = rows.get(code) ?? 0;
  const [row] = await rowsOf(
    held.db.knex,
    `select row_version as v from ${tableSql(held.db, 'check_question')} where id = ?`,
    [id],
  );
  const table = tableFrom(all, 'check_question');
  await changeRecord(held.db, all, table, id, Number(row?.v), values, 'test');
};

describe('I3 I4 a sheet keeps its questions, and each answer is a row', () => {
  it('writes sheet and answers in one save, with points, and opens as it was filled in', async () => {
    const id = await fresh({ locks_yard: true });
    const written = await answers(id);
    expect(written.map(({ code }) => code)).toEqual([
      ...['door', 'lift', 'steps', 'heating', 'steady', 'locks', 'locked'],
    ]);
    expect(written[0]).toMatchObject({ amount: '120.0000', check_question: rows.get('door') });
    expect(written[5]).toMatchObject({ choice: 'Yard' });
    const { values } = await open(id);
    expect(values).toMatchObject({ ...hall, points: '11.00', locks_yard: true, keeper: null });
  });

  it('opens word for word when its questions are reworded, changed in kind, or gone', async () => {
    const id = await fresh();
    await change('steady', { question: 'How steady?', kind: 'long_text' });
    const all = await tables();
    const extra = await add('check_question', {
      ...{ checklist: 'chamber_hall', place: 99, code: 'extra', question: 'More?' },
      ...{ kind: 'short_text', must: true },
    });
    const { asked, values } = await open(id);
    const labels = asked.sections.flatMap(({ fields }) => fields.map(({ label }) => label));
    expect(labels).toContain('Does the temperature stay the same?');
    expect(labels).not.toContain('More?');
    expect(values.steady).toBe(4);
    // The next one is asked what the rows say now.
    expect(await refused(fresh())).toEqual(expect.arrayContaining(['extra:required']));
    await deleteRecord(held.db, all, tableFrom(all, 'check_question'), extra, 1, 'test');
    await change('steady', { question: 'Does the temperature stay the same?', kind: 'rating' });
  });

  it('a corrected sheet changes its answers, each with its own history; undone, all of it', async () => {
    const id = await fresh();
    const { values, record } = await open(id);
    const later = {
      ...values,
      lift: true,
      steps: null,
      keeper: null,
      remarks: 'Ramp.',
      points: '13.00',
    };
    const submission = randomUUID();
    await save({ submission, values: later, record, own: Object.keys(later) });
    const codes = (await answers(id)).map(({ code }) => code);
    expect(codes).not.toContain('steps');
    expect(codes).toContain('remarks');
    const now = await open(id);
    expect(now.record.version).toBe(2);
    expect(now.values).toMatchObject({ lift: true, remarks: 'Ramp.', points: '13.00' });
    await undoSave(held.db, await tables(), submission, 'test');
    expect((await open(id)).values).toMatchObject({ lift: false, steps: 8, remarks: null });
  });

  it('another person’s answers are told, not overwritten', async () => {
    const id = await fresh();
    const { values, record } = await open(id);
    const mine = { ...values, door: 90 };
    await save({ values: { ...values, door: 100 }, record, own: ['door'] }, 'Brida');
    const clash = await save({ values: mine, record, own: ['door'] }).catch((e: unknown) => e);
    expect(clash).toMatchObject({
      conflicts: [{ column: 'answer/door', yours: 90, theirs: 100, base: 120, by: 'Brida' }],
    });
  });

  it('keeps its questions and answers when the tables get other names', async () => {
    const id = await fresh();
    await renameWholeTable(held.db, 'hall_check_answer', 'answered', 'test');
    await renameWholeTable(held.db, 'hall_check', 'checked', 'test');
    expect((await open(id)).values).toMatchObject(hall);
    await renameWholeTable(held.db, 'checked', 'hall_check', 'test');
    await renameWholeTable(held.db, 'answered', 'hall_check_answer', 'test');
    plan = (await openForForm(held.db, 'hall_check', {}, await tables())).plan;
    expect((await open(id)).values).toMatchObject(hall);
  });
});

describe('I1 I2 what is asked is what the rows say under the values', () => {
  const asked = async (values: Record<string, unknown>) => {
    const { sets, faults } = await askedForm(held.db, await tables(), plan, { values });
    return {
      hashes: hashesOf(sets),
      codes: sets.questions?.set.questions.map(({ code }) => code),
      faults,
    };
  };

  it('asks nothing before the first question is answered, then its set', async () => {
    expect((await asked({})).codes).toEqual([]);
    expect((await asked({ checklist: 'open_air_stage' })).codes).toContain('roof');
    expect((await asked({ checklist: 'nothing' })).codes).toEqual([]);
  });

  it('refuses answers to questions that are not asked, forged sets, and those of another choice', async () => {
    const values = { town: towns, ...hall };
    expect(await refused(save({ values: { ...values, roof: true } }))).toEqual([
      'roof:unknown_field',
    ]);
    const { hashes } = await asked({ checklist: 'open_air_stage' });
    const forged = save({ values: { ...values, firm: 3 }, asked: hashes });
    expect(await refused(forged)).not.toEqual([]);
    const other = { town: towns, checklist: 'chamber_hall', hall: 'A', checked_on: '2026-01-01' };
    const bare = { ...other, checked_by: 'B', firm: 3, roof: false, amps: 10 };
    expect(await refused(save({ values: bare, asked: hashes }))).toEqual([
      'checklist:questions_other',
    ]);
    const made = save({ values, asked: { questions: 'x'.repeat(43) } });
    expect((await made).records[0]?.table).toBe('hall_check');
  });

  it('takes questions that have just changed, and not those of long ago', async () => {
    const { hashes } = await asked({ checklist: 'chamber_hall' });
    await change('lift', { question: 'Is there any lift?' });
    const values = { town: towns, ...hall };
    const before = await save({ values, asked: hashes });
    const sql = `update \`${held.db.catalog}\`.asked_set set given_at = utc_timestamp() - interval 3 day where hash = ?`;
    await held.db.knex.raw(sql, [hashes.questions ?? '']);
    expect(await refused(save({ values, asked: hashes }))).toEqual(['checklist:questions_old']);
    // The sheet that was asked so is changed all the same.
    const sheet = await open(before.records[0]?.id ?? 0);
    const later = { ...sheet.values, door: 130 };
    await save({ values: later, record: sheet.record, own: ['door'], asked: hashes });
    expect((await open(sheet.record.id)).values.door).toBe(130);
    await change('lift', { question: 'Is there a goods lift?' });
  });

  it('a question whose row is gone meanwhile is answered without a reference to it', async () => {
    const all = await tables();
    const values = { town: towns, ...hall, brief: 'yes' };
    const brief = { checklist: 'chamber_hall', place: 98, code: 'brief', question: 'Brief?' };
    const row = await add('check_question', { ...brief, kind: 'short_text' });
    const { hashes } = await asked({ checklist: 'chamber_hall' });
    await deleteRecord(held.db, all, tableFrom(all, 'check_question'), row, 1, 'test');
    const receipt = await save({ values, asked: hashes });
    const found = (await answers(receipt.records[0]?.id ?? 0)).find(({ code }) => code === 'brief');
    expect(found).toMatchObject({ asked: 'Brief?', words: 'yes', check_question: null });
  });
});
