import { randomUUID } from 'node:crypto';
import { Readable } from 'node:stream';
import { beforeAll, describe, expect, it } from 'vitest';
import { demoQuestions } from '../../demo/questions';
import { hashesOf } from '../../src/core/plan/asked-sheet';
import { Rights } from '../../src/core/access/rights';
import { seenHouse, sightOf } from '../../src/core/table/seen';
import { planSchema } from '../../src/core/plan/schema';
import { ProblemError } from '../../src/core/problems';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { renameWholeTable } from '../../src/server/catalog/restructure';
import { loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import { rowsOf } from '../../src/server/database/rows';
import { receiveFile } from '../../src/server/files/hand-in';
import { undoSave } from '../../src/server/records/history';
import { lookAtAnswers } from '../../src/server/records/answers-looked-at';
import { openForForm } from '../../src/server/records/open-form';
import { askingForms, lookOverQuestions } from '../../src/server/records/question-rows';
import { askedForm } from '../../src/server/records/questions';
import { readRecord } from '../../src/server/records/read';
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

  it('I1 a file is an answer: kept in its row, opened again, held to its kind, and taken back', async () => {
    const { db } = held;
    await add('check_question', {
      ...{ checklist: 'chamber_hall', place: 98, code: 'photo', question: 'A photograph?' },
      ...{ kind: 'file', choices: 'picture' },
    });
    const png =
      'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==';
    const handed = (name: string, bytes: Buffer) =>
      receiveFile(
        db,
        { file: randomUUID().replaceAll('-', ''), name, by: 'test' },
        Readable.from([bytes]),
      );
    const picture = await handed('hall.png', Buffer.from(png, 'base64'));
    const text = await handed('hall.txt', Buffer.from('no picture'));
    expect(await refused(fresh({ photo: [text] }))).toEqual([
      expect.stringMatching(/^photo:file_/),
    ]);
    const id = await fresh({ photo: [picture] });
    const { values, record } = await open(id);
    expect(values.photo).toEqual([picture]);
    const uses = () => db.knex('file_use').withSchema(db.catalog).where({ file: picture.file });
    expect(await uses()).toMatchObject([{ table_key: 'hall_check_answer', column_key: 'files' }]);
    const { counted } = await lookAtAnswers(
      db,
      await tables(),
      plan,
      new URL('http://x/?checklist=chamber_hall'),
    );
    expect(counted.questions.find(({ code }) => code === 'photo')?.answered.n).toBe(1);
    const without = { ...values, photo: null };
    await save({ values: without, record, own: ['photo'] });
    expect((await open(id)).values.photo).toBeNull();
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
    const given = (days: number) =>
      held.db.knex.raw(
        `update ??.asked_set set given_at = utc_timestamp() - interval ${days} day where hash = ?`,
        [held.db.catalog, hashes.questions ?? ''],
      );
    await given(3);
    expect(await refused(save({ values, asked: hashes }))).toEqual(['checklist:questions_old']);
    // The sheet that was asked so is changed all the same.
    const sheet = await open(before.records[0]?.id ?? 0);
    const later = { ...sheet.values, door: 130 };
    await save({ values: later, record: sheet.record, own: ['door'], asked: hashes });
    expect((await open(sheet.record.id)).values.door).toBe(130);
    await given(0);
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

describe('A10 answers are counted in the database', () => {
  const look = async (address: string, house?: Awaited<ReturnType<typeof tables>>) =>
    lookAtAnswers(held.db, house ?? (await tables()), plan, new URL(`http://x/?${address}`));

  beforeAll(async () => {
    for (let i = 0; i < 12; i++) {
      const checked_on = `2031-0${1 + (i % 6)}-10`;
      const more = { door: 60 + i * 10, steady: 1 + (i % 5), lift: i % 3 === 0, hall: `Hall ${i}` };
      const steps = more.lift ? null : 3 + i;
      await fresh({ ...more, steps, checked_on, locks_yard: i % 2 === 0, remarks: `Remark ${i}` });
    }
  });

  it('every number is that of the rows themselves', async () => {
    const { counted, picks } = await look('checklist=chamber_hall&from=2031-01-01&to=2031-12-31');
    expect(picks[0]).toMatchObject({ field: 'checklist', value: 'chamber_hall' });
    expect(counted.sheets).toEqual({ n: 12, before: 0 });
    const of = (code: string) => counted.questions.find((one) => one.code === code);
    expect(of('lift')?.bars).toEqual([
      { label: 'yes', n: 4, before: 0 },
      { label: 'no', n: 8, before: 0 },
    ]);
    expect(of('steps')?.answered.n).toBe(8);
    expect(of('steady')?.bars.map(({ n }) => n)).toEqual([3, 3, 2, 2, 2]);
    expect(of('locks')?.bars.find(({ label }) => label === 'Yard')?.n).toBe(6);
    const door = of('door');
    expect(door?.spread).toMatchObject({ least: '60', middle: '115', greatest: '170' });
    expect(door?.bins.reduce((sum, { n }) => sum + n, 0)).toBe(12);
    const bin = door?.bins.find(({ from, to }) => from <= 100 && 100 < to);
    const inside = Array.from({ length: 12 }, (_, i) => 60 + i * 10).filter(
      (n) => bin && n >= bin.from && n < bin.to,
    );
    expect(bin?.n).toBe(inside.length);
    expect(of('remarks')?.texts.map(({ text }) => text)).toEqual([
      ...['Remark 11', 'Remark 10', 'Remark 9'],
    ]);
    expect(of('remarks')?.texts[0]?.shown).toContain('Hall 11');
  });

  it('filtered by any column of the sheet, also behind its references, and only by what is seen', async () => {
    const filtered = async (filter: object[], house?: Awaited<ReturnType<typeof tables>>) => {
      const text = encodeURIComponent(JSON.stringify(filter));
      const days = 'from=2031-01-01&to=2031-12-31&compare=year';
      return look(`checklist=chamber_hall&${days}&filter=${text}`, house);
    };
    const hall3 = { path: 'hall', operator: 'contains', values: ['Hall 1'] };
    const { counted } = await filtered([hall3]);
    // Hall 1, 10 and 11.
    expect(counted.sheets).toEqual({ n: 3, before: 0 });
    const remarks = counted.questions.find(({ code }) => code === 'remarks');
    expect(remarks?.texts.map(({ text }) => text)).toEqual(['Remark 11', 'Remark 10', 'Remark 1']);
    const town = { path: 'town.name', operator: 'equal', values: ['Velden'] };
    expect((await filtered([hall3, town])).counted.sheets.n).toBe(3);
    expect((await filtered([{ ...town, values: ['Elsewhere'] }])).counted.sheets.n).toBe(0);
    const named = await filtered([{ path: 'town', operator: 'equal', values: [towns] }]);
    expect([named.counted.sheets.n, named.filterShown]).toEqual([12, ['Velden']]);
    expect(await refused(filtered([{ ...town, path: 'nowhere' }]))).not.toEqual([]);
    expect(await refused(look('filter=[{'))).not.toEqual([]);
    const all = await tables();
    const see = { does: ['see' as const], hidden: [], readOnly: [], when: '' };
    const tables_ = { '*': see, hall_check: { ...see, hidden: ['hall'] } };
    const role = { key: 'r', title: 'R', note: '', forms: {}, places: [], tables: tables_ };
    const blind = seenHouse(all, sightOf(all, new Rights([role]), {}));
    const guessed = await filtered([hall3], blind).then(
      (looked) => looked.counted.sheets.n,
      () => 0,
    );
    expect(guessed).toBe(0);
  });

  it('two periods side by side', async () => {
    const period = 'from=2031-04-01&to=2031-06-30';
    const { counted } = await look(`checklist=chamber_hall&${period}&compare=before`);
    expect(counted.sheets).toEqual({ n: 6, before: 6 });
    const year = await look(`checklist=chamber_hall&${period}&compare=year`);
    expect(year.counted.sheets).toEqual({ n: 6, before: 0 });
  });

  it('sheets out of sight count nowhere', async () => {
    const all = await tables();
    const role = {
      ...{ key: 'r', title: 'R', note: '', forms: {}, places: [] },
      tables: { '*': { does: ['see' as const], hidden: [], readOnly: [], when: '' } },
    };
    const own = { ...role.tables['*'], when: 'hall = "Hall 3"' };
    const rights = new Rights([{ ...role, tables: { ...role.tables, hall_check: own } }]);
    const seen = seenHouse(all, sightOf(all, rights, {}));
    const { counted, picks } = await look('checklist=chamber_hall', seen);
    expect(counted.sheets.n).toBe(1);
    expect(picks[0]?.values.map(({ sheets }) => sheets)).toEqual([1]);
    const numbers = counted.questions.map(({ answered }) => answered.n);
    expect(Math.max(...numbers)).toBe(1);
    const texts = counted.questions.flatMap((one) => one.texts.map(({ text }) => text));
    expect(texts.filter((text) => text.startsWith('Remark'))).toEqual(['Remark 3']);
  });

  it('refuses a form that asks nothing, and an address that says nothing sensible', async () => {
    const bare = { ...plan, sections: plan.sections.slice(0, 1) };
    const none = lookAtAnswers(held.db, await tables(), bare, new URL('http://x/'));
    expect(await refused(none)).toEqual([':asks_nothing']);
    expect(await refused(look('from=yesterday'))).not.toEqual([]);
    expect(await refused(look('compare=tomorrow'))).not.toEqual([]);
  });
});

describe('I6 the rows that are asked, looked over', () => {
  const look = async () => {
    const all = await tables();
    const [form] = await askingForms(held.db, 'check_question');
    return form ? lookOverQuestions(held.db, all, form) : expect.fail('nobody asks them');
  };
  const change = async (code: string, values: Record<string, unknown>) => {
    const all = await tables();
    const table = tableFrom(all, 'check_question');
    const id = rows.get(code) ?? 0;
    const { version } = await readRecord(held.db, held.db.knex, all, table, id);
    await changeRecord(held.db, all, table, id, version, values, 'test');
  };

  it('are told set by set, with what is wrong row by row', async () => {
    const before = await look();
    expect(before.sets.map(({ label }) => label)).toEqual(['Chamber hall', 'Open-air stage']);
    expect(before).toMatchObject({ by: 'checklist', order: 'place', field: 'checklist' });
    await change('heating', { choices: 'Stove' });
    await change('firm', { least: '9.00', greatest: '1.00' });
    const after = await look();
    const code = (row: number | undefined) =>
      after.faults.find((fault) => fault.row === row)?.problem.code;
    expect(code(rows.get('heating'))).toBe('question_choices');
    expect(code(rows.get('firm'))).toBe('question_bounds');
    await change('heating', { choices: 'Stove; Radiators' });
    await change('firm', { least: null, greatest: null });
    expect((await look()).faults).toEqual(before.faults);
  });

  it('say where answers so far are of another kind', async () => {
    await fresh();
    const before = (await look()).unlike.map(({ row }) => row);
    expect(before).not.toContain(rows.get('lift'));
    await change('lift', { kind: 'short_text' });
    expect((await look()).unlike.map(({ row }) => row)).toContain(rows.get('lift'));
    await change('lift', { kind: 'yes_no' });
  });
});
