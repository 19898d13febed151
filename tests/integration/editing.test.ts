import { randomUUID } from 'node:crypto';
import { beforeAll, describe, expect, it } from 'vitest';
import type { OpenedRecord } from '../../src/core/entry/stored';
import type { Plan } from '../../src/core/plan/schema';
import { ProblemError } from '../../src/core/problems';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { loadTables, tableFrom } from '../../src/server/catalog/tables';
import { ConflictError } from '../../src/server/records/conflicts';
import { knownForm } from '../../src/server/records/wired';
import { historyOf, restoreRecord, undoSave } from '../../src/server/records/history';
import { changesOfSave } from '../../src/server/records/journal';
import { openRecord } from '../../src/server/records/open';
import { saveEntry, type EntryRequest } from '../../src/server/records/save';
import { readRecord } from '../../src/server/records/read';
import { addRecord, changeRecord, deleteRecord } from '../../src/server/records/write';
import { extra, field } from '../support/definitions';
import { makeLending, useDatabase } from '../support/house';
import { lendingPlan, linesPlan } from '../support/lending';

const held = useDatabase('t_editing');
let id: (table: string, known: number) => number;

const plans: Record<string, Plan> = { lines: linesPlan(), lend: lendingPlan() };
const [first] = plans.lines?.sections ?? [];
first?.fields.push(field('note', { savesTo: 'note' }), field('reason', { savesTo: 'reason' }));

beforeAll(async () => {
  id = await makeLending(held.db);
  for (const [key, plan] of Object.entries(plans)) await publish(key, plan);
});

async function publish(key: string, plan: Plan) {
  await makeForm(held.db, { table: plan.table, key, plan }, 'test');
  await publishForm(held.db, key, 1, 'test');
}

type Sent = Partial<EntryRequest> & Pick<EntryRequest, 'values'>;
const save = (sent: Sent, { form = 'lines', by = 'test' } = {}) =>
  saveEntry(held.db, form, { submission: randomUUID(), edition: 1, ...sent }, by);

async function open(record: number, key = 'lines'): Promise<OpenedRecord> {
  const tables = await loadTables(held.db);
  const plan = plans[key];
  if (!plan) throw new Error(`no form ${key}`);
  const opened = await openRecord(held.db, held.db.knex, tables, knownForm(plan, tables), record);
  return opened ?? expect.fail('not there');
}

/** What a screen sends of an opened record that nobody has changed. */
function sent({ stored, values, rows }: OpenedRecord): Sent & { rows: EntryRequest['rows'] } {
  const { id, version } = stored;
  const lines = Object.entries(rows).map(([grid, list]) => [
    grid,
    list.map((row) => ({ id: row.stored.id, version: row.stored.version, values: row.values })),
  ]);
  return { record: { id, version }, values, rows: Object.fromEntries(lines) };
}

/** A loan with two lines. */
async function lend(): Promise<number> {
  const rows = [
    { values: { score: id('score', 31), copies: 2 } },
    { values: { score: id('score', 32), copies: 1 } },
  ];
  const receipt = await save({ values: { weeks: 2 }, rows: { lines: rows } });
  return receipt.records[0]?.id ?? 0;
}

async function refusal(work: Promise<unknown>): Promise<ProblemError> {
  const error = await work.then(
    () => expect.fail('was not refused'),
    (e: unknown) => e,
  );
  if (error instanceof ProblemError) return error;
  throw error;
}
const codes = async (work: Promise<unknown>) =>
  (await refusal(work)).problems.map((p) => `${p.path}:${p.code}`);

async function conflict(work: Promise<unknown>): Promise<ConflictError> {
  const error = await refusal(work);
  return error instanceof ConflictError ? error : expect.fail(error.message);
}

const line = (opened: OpenedRecord, i: number) => opened.rows.lines?.[i];

async function changeDirectly(table: string, record: number, values: object, by: string) {
  const tables = await loadTables(held.db);
  const definition = tableFrom(tables, table);
  const [row] = await held.db.knex(table).withSchema(held.db.records).where({ id: record });
  return changeRecord(held.db, tables, definition, record, row.row_version, { ...values }, by);
}

describe('F1 changing a stored record', () => {
  it('writes what is other than before, in one save', async () => {
    const loan = await lend();
    const opened = await open(loan);
    expect(opened.values).toMatchObject({ weeks: 2, total: '1.76', copies: 3 });
    const request = sent(opened);
    const [one, two] = request.rows.lines ?? [];
    if (!one || !two) throw new Error('no lines');
    one.values = { ...one.values, copies: 4, fee: '3.20' };
    const added = { values: { score: id('score', 32), copies: 2 } };
    request.rows = { lines: [one, { ...two, removed: true }, added] };
    request.values = { ...request.values, copies: 6, total: '3.52' };
    const receipt = await save(request);
    expect(receipt.records.map(({ table, action }) => `${table} ${action}`)).toEqual([
      'loan changed',
      'loan_line changed',
      'loan_line inserted',
      'loan_line deleted',
    ]);
    const now = await open(loan);
    expect(now.stored.version).toBe(2);
    expect(now.rows.lines?.map(({ values }) => [values.copies, values.fee])).toEqual([
      [4, '3.20'],
      [2, '0.32'],
    ]);
    const changes = await changesOfSave(held.db, held.db.knex, receipt.submission);
    expect(changes.map(({ table, action, version }) => [table, action, version])).toEqual([
      ['loan', 'update', 2],
      ['loan_line', 'update', 2],
      ['loan_line', 'insert', 1],
      ['loan_line', 'delete', null],
    ]);
    expect(changes[0]?.changes).toEqual({
      total: { before: '1.76', after: '3.52' },
      copies: { before: 3, after: 6 },
    });
    expect(changes[3]?.changes).toMatchObject({ loan, copies: 1 });
  });

  it('writes nothing where nothing was changed', async () => {
    const loan = await lend();
    const receipt = await save(sent(await open(loan)));
    expect(receipt.records).toEqual([]);
    expect((await open(loan)).stored.version).toBe(1);
  });

  it('writes once, however often it is sent', async () => {
    const loan = await lend();
    const request = { ...sent(await open(loan)), submission: randomUUID() };
    request.values = { ...request.values, note: 'once' };
    const receipts = await Promise.all([1, 2, 3, 4, 5].map(() => save(request)));
    expect(new Set(receipts.map((receipt) => JSON.stringify(receipt))).size).toBe(1);
    expect((await open(loan)).stored.version).toBe(2);
  });

  it('refuses at the cell, and then nothing is written', async () => {
    const loan = await lend();
    const request = sent(await open(loan));
    const [, two] = request.rows.lines ?? [];
    if (two) two.values = { ...two.values, copies: 12, score: 999999 };
    expect(await codes(save(request))).toEqual([
      'lines[1].score:record_gone',
      'lines[1].copies:check_failed',
      'total:value_changed',
      'copies:value_changed',
      'lines[1].fee:value_changed',
    ]);
    const wrong = sent(await open(loan));
    wrong.values = { ...wrong.values, total: '0.01' };
    expect(await codes(save(wrong))).toEqual(['total:value_changed']);
    expect((await open(loan)).stored.version).toBe(1);
  });

  it('reads what only narrows of what was chosen', async () => {
    const values = { region: id('region', 1), town: id('town', 12), ensemble: id('ensemble', 22) };
    const lent = { ...values, score: id('score', 31), copies: 1, weeks: 2 };
    const receipt = await save({ values: lent }, { form: 'lend' });
    const opened = await open(receipt.records[0]?.id ?? 0, 'lend');
    expect(opened.values).toMatchObject(values);
    const { values: all, record } = sent(opened);
    const changed = await save({ record, values: { ...all, note: 'later' } }, { form: 'lend' });
    expect(changed.records).toMatchObject([{ table: 'loan', action: 'changed' }]);
  });
});

describe('F4 two people at one record', () => {
  it('shows both sides, field by field, with who and when', async () => {
    const loan = await lend();
    const mine = sent(await open(loan));
    const theirs = sent(await open(loan));
    theirs.values = { ...theirs.values, note: 'theirs', reason: 'quiet' };
    await save(theirs, { by: 'Odile' });
    mine.values = { ...mine.values, note: 'mine' };
    const { conflicts, now, status, problems } = await conflict(save(mine, { by: 'Brann' }));
    expect([status, problems[0]?.code]).toEqual([409, 'changed_meanwhile']);
    const at = { table: 'loan', id: loan, kind: 'changed', by: 'Odile' };
    expect(conflicts).toMatchObject([
      { ...at, column: 'note', meets: true, base: null, yours: 'mine', theirs: 'theirs' },
      { ...at, column: 'reason', meets: false, theirs: 'quiet' },
    ]);
    expect(now.stored.version).toBe(2);
    // Taking their state as the new ground, the save goes through.
    const again = sent(now);
    again.values = { ...again.values, note: 'mine' };
    expect((await save(again)).records).toMatchObject([{ action: 'changed' }]);
    expect((await open(loan)).values).toMatchObject({ note: 'mine', reason: 'quiet' });
  });

  it('tells of rows that were changed, added and taken out', async () => {
    const loan = await lend();
    const mine = sent(await open(loan));
    const theirs = sent(await open(loan));
    const [one, two] = theirs.rows.lines ?? [];
    if (!one || !two) throw new Error('no lines');
    const added = { values: { score: id('score', 31), copies: 1 } };
    one.values = { ...one.values, copies: 3, fee: '2.40' };
    theirs.rows = { lines: [one, { ...two, removed: true }, added] };
    theirs.values = { ...theirs.values, copies: 4, total: '3.20' };
    await save(theirs, { by: 'Odile' });
    const [, second] = mine.rows.lines ?? [];
    if (second) second.values = { ...second.values, copies: 2, fee: '0.32' };
    const { conflicts } = await conflict(save(mine));
    expect(conflicts.map(({ table, kind, column, meets }) => [table, kind, column, meets])).toEqual(
      [
        ['loan_line', 'gone', 'copies', true],
        ['loan_line', 'changed', 'copies', false],
        ['loan_line', 'added', null, false],
      ],
    );
    expect((await open(loan)).rows.lines).toHaveLength(2);
  });

  it('is met also where the other one worked in the table', async () => {
    const loan = await lend();
    const opened = await open(loan);
    const mine = sent(opened);
    await changeDirectly('loan_line', line(opened, 0)?.stored.id ?? 0, { copies: 7 }, 'Odile');
    mine.values = { ...mine.values, note: 'mine' };
    const { conflicts } = await conflict(save(mine));
    expect(conflicts).toMatchObject([
      { table: 'loan_line', column: 'copies', base: 2, theirs: 7, meets: false, by: 'Odile' },
    ]);
  });

  it('says that the record was deleted, and by whom', async () => {
    const loan = await lend();
    const opened = await open(loan);
    const tables = await loadTables(held.db);
    for (const { stored } of opened.rows.lines ?? []) {
      const table = tableFrom(tables, 'loan_line');
      await deleteRecord(held.db, tables, table, stored.id, stored.version, 'Odile');
    }
    await deleteRecord(held.db, tables, tableFrom(tables, 'loan'), loan, 1, 'Odile');
    const error = await refusal(save(sent(opened)));
    expect(error.status).toBe(409);
    expect(error.problems[0]).toMatchObject({ code: 'deleted_meanwhile' });
    expect(error.message).toContain('Odile');
    expect(await codes(save({ record: { id: 99999, version: 1 }, values: {} }))).toEqual([
      ':unknown_record',
    ]);
  });

  it('refuses the line of another record, whatever version is named', async () => {
    const [loan, other] = [await lend(), await lend()];
    const foreign = line(await open(other), 0)?.stored ?? expect.fail('no line');
    const request = sent(await open(loan));
    const before = await open(other);
    for (const forged of [
      { id: foreign.id, version: 1, values: { copies: 9 } },
      { id: foreign.id, version: 1, values: {}, removed: true },
      { id: foreign.id, values: {} },
    ]) {
      const rows = { lines: [...(request.rows.lines ?? []), forged] };
      expect(await codes(save({ ...request, rows }))).toEqual(['lines[2]:rows_gone']);
    }
    expect(
      await codes(
        save({ values: { weeks: 2 }, rows: { lines: [{ id: foreign.id, values: {} }] } }),
      ),
    ).toEqual(['lines[0]:rows_gone']);
    expect(await open(other)).toEqual(before);
  });

  it('loses no change of 40 clerks at once', async () => {
    const loan = await lend();
    const clerk = async (n: number) => {
      for (let tried = 0; tried < 200; tried++) {
        const request = sent(await open(loan));
        const reason = [request.values.reason ?? [], `c${n}`].flat().join(' ');
        try {
          return await save({ ...request, values: { ...request.values, reason } }, { by: `c${n}` });
        } catch (error) {
          if (!(error instanceof ConflictError)) throw error;
        }
      }
      throw new Error('never came through');
    };
    await Promise.all(Array.from({ length: 40 }, (_, n) => clerk(n)));
    const { values, stored } = await open(loan);
    const told = String(values.reason).split(' ');
    expect(new Set(told)).toEqual(new Set(Array.from({ length: 40 }, (_, n) => `c${n}`)));
    expect([told.length, stored.version]).toEqual([40, 41]);
  }, 60_000);
});

describe('F7 what is written besides', () => {
  it('changes columns of a chosen record, under the record as it is then', async () => {
    const plan = linesPlan();
    plan.writes = [
      extra('score', { pages: 'score.pages + copies' }, { each: 'lines', record: 'score' }),
    ];
    await publish('besides', plan);
    const pages = async () => {
      const row = await held.db
        .knex('score')
        .withSchema(held.db.records)
        .where({ id: id('score', 31) })
        .first('pages');
      return Number(row?.pages);
    };
    const before = await pages();
    const one = () =>
      save(
        {
          values: { weeks: 1 },
          rows: { lines: [{ values: { score: id('score', 31), copies: 1 } }] },
        },
        { form: 'besides' },
      );
    const receipts = await Promise.all(Array.from({ length: 10 }, one));
    // Each saw what the one before had written: none is lost.
    expect(await pages()).toBe(before + 10);
    expect(receipts[0]?.records.map(({ table, action }) => `${table} ${action}`)).toEqual([
      'loan inserted',
      'loan_line inserted',
      'score changed',
    ]);
  });

  it('writes all or nothing where the database refuses it', async () => {
    const plan = linesPlan();
    plan.writes = [
      extra(
        'copy_movement',
        { score: 'score', kind: '"lent"', quantity: 'copies' },
        { each: 'lines' },
      ),
      extra('score', { code: '"0042"' }, { each: 'lines', record: 'score', when: 'copies = 2' }),
    ];
    await publish('refused', plan);
    const count = async () =>
      Number((await held.db.knex('loan').withSchema(held.db.records).count({ n: '*' }))[0]?.n);
    const before = await count();
    const rows = {
      lines: [
        { values: { score: id('score', 32), copies: 1 } },
        { values: { score: id('score', 31), copies: 2 } },
      ],
    };
    expect(await codes(save({ values: { weeks: 1 }, rows }, { form: 'refused' }))).toEqual([
      'lines[1]:not_unique',
    ]);
    expect(await count()).toBe(before);
  });
});

describe('large saves', () => {
  it('writes a record with 2,000 rows, opens it, and changes one of them', async () => {
    const lines = Array.from({ length: 2000 }, (_, i) => ({
      values: { score: id('score', i % 2 === 0 ? 31 : 32), copies: 1 + (i % 9) },
    }));
    const receipt = await save({ values: { weeks: 2 }, rows: { lines } });
    expect(receipt.records).toHaveLength(2001);
    const opened = await open(receipt.records[0]?.id ?? 0);
    expect(opened.rows.lines?.map(({ values }) => values.copies)).toEqual(
      lines.map(({ values }) => values.copies),
    );
    const request = sent(opened);
    const last = request.rows.lines?.at(-1);
    if (last) last.values = { ...last.values, copies: 9, fee: undefined };
    const { values } = request;
    const rows = { lines: request.rows.lines ?? [] };
    const changed = await save({
      ...request,
      rows,
      values: { ...values, total: undefined, copies: undefined },
    });
    expect(changed.records.map(({ table, action }) => `${table} ${action}`)).toEqual([
      'loan changed',
      'loan_line changed',
    ]);
  }, 60_000);

  it('says at which of many rows a value is taken', async () => {
    const rows = {
      lines: Array.from({ length: 3 }, () => ({ values: { score: null, copies: 1 } })),
    };
    expect(await codes(save({ values: { weeks: 2 }, rows }))).toEqual([
      'lines[0].score:required',
      'lines[1].score:required',
      'lines[2].score:required',
    ]);
  });
});

describe('F8 history', () => {
  const record = async (loan: number) => {
    const tables = await loadTables(held.db);
    const table = tableFrom(tables, 'loan');
    const row = await readRecord(held.db, held.db.knex, tables, table, loan);
    return { tables, table, row, history: await historyOf(held.db, tables, table, row) };
  };

  async function note(loan: number, text: string, by: string) {
    const request = sent(await open(loan));
    return save({ ...request, values: { ...request.values, note: text } }, { by });
  }

  it('tells who changed what, and an earlier state is restored as a new save', async () => {
    const loan = await lend();
    await note(loan, 'first', 'Odile');
    await note(loan, 'second', 'Brann');
    const { tables, table, row, history } = await record(loan);
    expect(history.steps.map(({ by, action, columns }) => [by, action, columns.length])).toEqual([
      ['Brann', 'update', 1],
      ['Odile', 'update', 1],
      ['test', 'insert', 3],
    ]);
    expect(history.steps[0]?.columns).toEqual([{ key: 'note', before: 'first', after: 'second' }]);
    const step = history.steps[1]?.id ?? 0;
    const wish = { id: loan, version: row.version, step };
    await restoreRecord(held.db, tables, table, wish, 'Odile');
    const now = await record(loan);
    expect(now.row.values.note).toBe('first');
    expect(now.history.steps[0]).toMatchObject({ kind: 'restore', by: 'Odile' });
    // What somebody saw before is not put back over what they have not seen.
    const late = restoreRecord(held.db, tables, table, wish, 'Brann');
    expect(await codes(late)).toEqual([':changed_meanwhile']);
  });

  it('undoes a whole save, unless something of it was changed since', async () => {
    const tables = await loadTables(held.db);
    const loan = await lend();
    const before = await open(loan);
    const request = sent(before);
    const [one, two] = request.rows.lines ?? [];
    if (!one || !two) throw new Error('no lines');
    one.values = { ...one.values, copies: 5, fee: undefined };
    const added = { values: { score: id('score', 32), copies: 1 } };
    request.rows = { lines: [one, { ...two, removed: true }, added] };
    request.values = { note: 'changed' };
    const receipt = await save(request);
    const undone = await undoSave(held.db, tables, receipt.submission, 'Odile');
    expect(undone.records.map(({ table, action }) => `${table} ${action}`)).toEqual([
      'loan_line inserted',
      'loan changed',
      'loan_line changed',
      'loan_line deleted',
    ]);
    const now = await open(loan);
    expect(now.values).toEqual(before.values);
    expect(now.rows.lines?.map(({ stored, values }) => [stored.id, values])).toEqual(
      before.rows.lines?.map(({ stored, values }) => [stored.id, values]),
    );
    // It is a save like any other: undone again, the changes are there again.
    await undoSave(held.db, tables, undone.submission, 'Odile');
    expect((await open(loan)).values.note).toBe('changed');
    await note(loan, 'later', 'Brann');
    expect(await codes(undoSave(held.db, tables, receipt.submission, 'Odile'))).toEqual([
      ':undo_too_late',
    ]);
    expect(await codes(undoSave(held.db, tables, 'no-such-save', 'Odile'))).toEqual([
      ':nothing_to_undo',
    ]);
  });

  it('undoes the making of a record with its rows, unless another refers to it', async () => {
    const tables = await loadTables(held.db);
    const receipt = await save({
      values: { weeks: 1 },
      rows: { lines: [{ values: { score: id('score', 31), copies: 1 } }] },
    });
    const loan = receipt.records[0]?.id ?? 0;
    const line = { loan, score: id('score', 31) };
    const other = await addRecord(held.db, tables, tableFrom(tables, 'loan_line'), line, 'test');
    const undo = () => undoSave(held.db, tables, receipt.submission, 'test');
    expect(await codes(undo())).toEqual([':in_use']);
    await deleteRecord(held.db, tables, tableFrom(tables, 'loan_line'), other.id, 1, 'test');
    expect((await undo()).records).toHaveLength(2);
    expect(await codes(save({ record: { id: loan, version: 1 }, values: {} }))).toEqual([
      ':deleted_meanwhile',
    ]);
  });
});
