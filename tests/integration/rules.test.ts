import { randomUUID } from 'node:crypto';
import { beforeAll, describe, expect, it } from 'vitest';
import type { Plan } from '../../src/core/plan/schema';
import { ProblemError } from '../../src/core/problems';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { loadTables, tableFrom } from '../../src/server/catalog/tables';
import { historyOf, restoreRecord, undoSave } from '../../src/server/records/history';
import { readRecord } from '../../src/server/records/read';
import { saveEntry, type EntryRequest } from '../../src/server/records/save';
import { addRecord, changeRecord } from '../../src/server/records/write';
import { field } from '../support/definitions';
import { makeLending, useDatabase } from '../support/house';
import { linesPlan, storePlans } from '../support/lending';

const held = useDatabase('t_rules');
let id: (table: string, known: number) => number;

const { lend, receive } = storePlans();

const lines: Plan = linesPlan();
const [, grid] = lines.sections;
if (grid)
  grid.fields[0] = { ...field('score'), ...grid.fields[0], lockedWhen: 'before.score != null' };

beforeAll(async () => {
  id = await makeLending(held.db);
  for (const [key, plan] of Object.entries({ lend, receive, lines })) {
    await makeForm(held.db, { table: plan.table, key, plan }, 'test');
    await publishForm(held.db, key, 1, 'test');
  }
});

type Sent = Partial<EntryRequest> & Pick<EntryRequest, 'values'>;
const save = (form: string, sent: Sent) =>
  saveEntry(held.db, form, { submission: randomUUID(), edition: 1, ...sent }, 'test');

async function refusal(work: Promise<unknown>): Promise<string[]> {
  const error: unknown = await work.then(
    () => expect.fail('was not refused'),
    (e: unknown) => e,
  );
  if (!(error instanceof ProblemError)) throw error;
  return error.problems.map(({ path, code, message }) =>
    code === 'check_failed' ? message : `${path}:${code}`,
  );
}

async function newScore(received = 0): Promise<{ score: number; receipt: string }> {
  const tables = await loadTables(held.db);
  const code = randomUUID().slice(0, 8);
  const made = await addRecord(
    held.db,
    tables,
    tableFrom(tables, 'score'),
    { code, name: code },
    'x',
  );
  const values = { score: made.id, kind: 'received', quantity: received };
  const receipt = received > 0 ? (await save('receive', { values })).submission : '';
  return { score: made.id, receipt };
}

const stored = async (table: string, record: number) => {
  const tables = await loadTables(held.db);
  return readRecord(held.db, held.db.knex, tables, tableFrom(tables, table), record);
};

describe('F9 the server takes only what somebody could have typed', () => {
  it('nothing into a field that is locked, shown as a line, or kept out of sight', async () => {
    const { score } = await newScore(20);
    const other = await newScore(20);
    const made = await save('lend', { values: { score, copies: 2, weeks: 4 } });
    const record = { id: made.records[0]?.id ?? 0, version: 1 };
    const forge = (values: EntryRequest['values']) => refusal(save('lend', { record, values }));
    expect(await forge({ score: other.score })).toEqual(['score:not_typed']);
    expect(await forge({ contact: 'Forged' })).toEqual(['contact:not_typed']);
    expect(await forge({ note: 'Forged' })).toEqual(['note:not_typed']);
    expect(await forge({ on_hand: 99, copies: 50 })).toEqual(['50 asked, 20 on hand.']);
    expect(await stored('loan', record.id)).toMatchObject({ version: 1 });
    // Shown, the note can be typed; and the locked one can be sent as it is.
    await save('lend', { record, values: { score, weeks: 10, note: 'long' } });
    expect((await stored('loan', record.id)).values).toMatchObject({ note: 'long', contact: null });
    expect(await refusal(save('lend', { values: { score, contact: 'Forged', weeks: 1 } }))).toEqual(
      ['contact:not_typed'],
    );
  });

  it('no other score into a stored line, and no line twice', async () => {
    const made = await save('lines', {
      values: { weeks: 1 },
      rows: { lines: [{ values: { score: id('score', 31), copies: 1 } }] },
    });
    const [loan, line] = made.records.map((record) => record.id);
    const record = { id: loan ?? 0, version: 1 };
    const row = (values: object) => ({ id: line ?? 0, version: 1, values: { ...values } });
    const other = save('lines', {
      record,
      values: {},
      rows: { lines: [row({ score: id('score', 32) })] },
    });
    expect(await refusal(other)).toContain('lines[0].score:not_typed');
    const twice = { lines: [row({ copies: 2 }), row({ copies: 3 })] };
    expect(await refusal(save('lines', { record, values: {}, rows: twice }))).toEqual([
      'lines[1]:rows_twice',
    ]);
    const keyed = { lines: [1, 2].map((copies) => ({ key: 'n', values: { copies } })) };
    expect(await refusal(save('lines', { values: {}, rows: keyed }))).toEqual([
      'lines[1]:rows_twice',
    ]);
  });
});

describe('F8 undo and restoring keep to the checks', () => {
  it('does not take back what is lent out already', async () => {
    const { score, receipt } = await newScore(10);
    const made = await save('lend', { values: { score, copies: 10, weeks: 1 } });
    const tables = await loadTables(held.db);
    const undo = (submission: string) => undoSave(held.db, tables, submission, 'test');
    expect(await refusal(undo(receipt))).toEqual(['10 asked, 0 on hand.']);
    // The loan taken back first, the copies are there to be sent back.
    await undo(made.submission);
    expect((await undo(receipt)).records).toHaveLength(1);
  });

  it('holds under undoing and lending at once', async () => {
    const { score, receipt } = await newScore(10);
    const tables = await loadTables(held.db);
    const outcomes = await Promise.allSettled([
      ...Array.from({ length: 6 }, () => save('lend', { values: { score, copies: 2, weeks: 1 } })),
      undoSave(held.db, tables, receipt, 'test'),
    ]);
    const failed = outcomes.flatMap((o) => (o.status === 'rejected' ? [o.reason as Error] : []));
    for (const error of failed) expect(error).toBeInstanceOf(ProblemError);
    const [[sums]] = (await held.db.knex.raw(
      `select sum(if(kind = 'received', quantity, -quantity)) as n from ??.copy_movement where score = ?`,
      [held.db.records, score],
    )) as [{ n: string | null }[]];
    expect(Number(sums?.n ?? 0)).toBeGreaterThanOrEqual(0);
  });

  it('restores no state that a check forbids now, unless it stood so already', async () => {
    const { score } = await newScore(10);
    const tables = await loadTables(held.db);
    const table = tableFrom(tables, 'loan');
    const made = await save('lend', { values: { score, copies: 1, weeks: 2 } });
    const loan = made.records[0]?.id ?? 0;
    // At the table itself anything can be written; that is how an old rule looks.
    await changeRecord(held.db, tables, table, loan, 1, { weeks: 30 }, 'keeper');
    await changeRecord(held.db, tables, table, loan, 2, { weeks: 3 }, 'keeper');
    const { steps } = await historyOf(held.db, tables, table, await stored('loan', loan));
    const restore = (step: number, version: number) =>
      restoreRecord(held.db, tables, table, { id: loan, version, step: steps[step]?.id ?? 0 }, 'x');
    expect(await refusal(restore(1, 3))).toEqual(['At most 20 weeks.']);
    expect((await restore(2, 3)).values).toMatchObject({ weeks: 2 });
  });
});
