import { randomUUID } from 'node:crypto';
import { beforeAll, describe, expect, it } from 'vitest';
import { askSchema, type Answer } from '../../src/core/entry/asks';
import { Entry } from '../../src/core/entry/entry';
import { settle } from '../../src/core/entry/settle';
import { updateField } from '../../src/core/plan/edit';
import type { Plan } from '../../src/core/plan/schema';
import type { ProblemError } from '../../src/core/problems';
import type { Table } from '../../src/core/table/definition';
import { wireForm } from '../../src/core/wiring/form';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { loadTables } from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import { readForm } from '../../src/server/records/form-read';
import { databaseReader } from '../../src/server/records/answers';
import { saveEntry } from '../../src/server/records/save';
import { addRecord } from '../../src/server/records/write';
import { extra, lookupOf } from '../support/definitions';
import { lendingPlan, lendingTables, lendingWorld, linesPlan, moved } from '../support/lending';
import { answerFrom } from '../support/world';
import { makeLending, useDatabase } from '../support/house';

const held = useDatabase('t_following');
let id: (table: string, known: number) => number;

async function add(of: string, values: Record<string, unknown>): Promise<number> {
  const tables = await loadTables(held.db);
  return (await addRecord(held.db, tables, tables.get(of) as Table, values, 'test')).id;
}

const writes = [extra('copy_movement', { score: 'score', kind: '"lent"', quantity: 'copies' })];

beforeAll(async () => {
  id = await makeLending(held.db);
  const keyed = updateField(lendingPlan({ writes }), 'score', {
    choices: lookupOf('score', { typedBy: 'code' }),
  });
  for (const [key, plan] of Object.entries({ lend: keyed, lines: linesPlan() })) {
    await makeForm(held.db, { table: plan.table, key, plan }, 'test');
    await publishForm(held.db, key, 1, 'test');
  }
});

async function read(
  plan: Plan,
  values: Record<string, unknown>,
  asks: object[],
  more: object = {},
) {
  const given = asks.map((ask, i) => askSchema.parse({ id: `a${i}`, ...ask }));
  return readForm(held.db, await loadTables(held.db), plan, { values, asks: given, ...more });
}

const save = (
  form: string,
  values: Record<string, unknown>,
  rows = {},
  submission: string = randomUUID(),
) => saveEntry(held.db, form, { submission, edition: 1, values, rows }, 'test');

const codes = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('was not refused'),
    (error: ProblemError) => error.problems.map((p) => `${p.path}:${p.code}`),
  );

const lent = async (score: number) => {
  const table = tableSql(held.db, 'copy_movement');
  const sql = `select coalesce(sum(quantity), 0) as n from ${table} where score = ? and kind = 'lent'`;
  const [[row]] = await held.db.knex.raw(sql, [score]);
  return Number(row.n);
};

const borrower = () => ({
  region: id('region', 1),
  town: id('town', 12),
  ensemble: id('ensemble', 22),
});

describe('D1, D3, B9 the database answers as the world does', () => {
  it('facts through references, aggregates, and records named by their key', async () => {
    const tables = await loadTables(held.db);
    const form = wireForm(lendingPlan(), tables);
    const values = { ...borrower(), score: id('score', 31) };
    const entry = new Entry(form, { mode: 'resumed', values });
    const asked: string[] = [];
    await settle(entry, (asks) => {
      asked.push(
        asks
          .map((ask) => ask.kind)
          .sort()
          .join(),
      );
      return databaseReader(held.db, held.db.knex, tables, form)(asks);
    });
    // All that an entry asks at its beginning goes out together.
    expect(asked).toEqual(['list,list,list,list,record,value,value']);
    expect(entry.values()).toMatchObject({
      rate: '0.10',
      contact: 'Brann',
      received: 24,
      lent: 4,
      on_hand: 20,
    });
    expect(entry.cell('ensemble').columns.values).toMatchObject({ 'town.region.name': 'Region 1' });
  });

  it('a key as its column has it; nothing for one that is unknown or not offered', async () => {
    const plan = updateField(lendingPlan(), 'score', {
      choices: lookupOf('score', { typedBy: 'code' }),
    });
    const [found] = await read(plan, {}, [{ kind: 'key', field: 'score', current: '0042' }]);
    expect(found).toMatchObject({ named: { value: id('score', 32), shown: ['Harbour'] } });
    const [unknown] = await read(plan, {}, [{ kind: 'key', field: 'score', current: '42' }]);
    expect(unknown).toMatchObject({ named: null });
    const narrowed = updateField(plan, 'score', {
      choices: lookupOf('score', {
        typedBy: 'code',
        conditions: [{ path: 'pages', operator: 'at_least', values: [20] }],
      }),
    });
    const [refused] = await read(narrowed, {}, [{ kind: 'key', field: 'score', current: '0042' }]);
    expect(refused).toMatchObject({ named: null });
  });

  it('says that a record is gone', async () => {
    const [answer] = await read(lendingPlan(), { ...borrower(), ensemble: 999 }, [
      { kind: 'record', field: 'ensemble' },
    ]);
    expect(answer).toMatchObject({ record: null });
  });

  it('least, greatest, average and count, and nothing where there is nothing', async () => {
    const tables = await loadTables(held.db);
    const values = async (
      aggregate: 'count' | 'sum' | 'least' | 'greatest' | 'average',
      score: number,
    ) => {
      const rollup = { ...moved('m', 'received').rollup, aggregate, conditions: [] } as NonNullable<
        ReturnType<typeof moved>['rollup']
      >;
      const plan = updateField(lendingPlan(), 'received', {
        rollup: { ...rollup, path: aggregate === 'count' ? null : 'quantity' },
      });
      const [answer] = await readForm(held.db, tables, plan, {
        values: { score },
        asks: [askSchema.parse({ id: 'a', kind: 'value', field: 'received' })],
      });
      return answer && 'value' in answer ? answer.value : answer;
    };
    const score = id('score', 31);
    expect(await values('count', score)).toBe(2);
    expect(await values('sum', score)).toBe(28);
    expect(await values('least', score)).toBe(4);
    expect(await values('greatest', score)).toBe(24);
    expect(await values('average', score)).toBe('14.0000');
    expect(await values('sum', 999)).toBe(0);
    expect(await values('least', 999)).toBeNull();
  });

  it('refuses an ask for what the plan does not have', async () => {
    const asks = [
      { kind: 'value', field: 'score' },
      { kind: 'key', field: 'note', current: 'x' },
      { kind: 'record', field: 'note' },
    ];
    for (const ask of asks)
      expect(await codes(read(lendingPlan(), {}, [ask]))).toEqual([`${ask.field}:no_choices`]);
  });
});

describe('one request per change', () => {
  it('carries all that follows from it, however long the chain', async () => {
    const tables = await loadTables(held.db);
    const form = wireForm(lendingPlan(), tables);
    const entry = new Entry(form, { mode: 'new' });
    let requests = 0;
    const rest = async () => {
      while (entry.asks().length > 0) {
        requests++;
        const asks = entry.asks().map(({ id: name, kind, field }) => ({ id: name, kind, field }));
        const answers: Answer[] = await read(lendingPlan(), entry.values(), asks, {
          own: entry.own(),
        });
        entry.answer(answers);
      }
    };
    await rest();
    const changes = [
      ...Object.entries({ ...borrower(), score: id('score', 31) }),
      ['region', id('region', 2)] as const,
    ];
    for (const [key, value] of changes) {
      requests = 0;
      entry.set(key, value);
      await rest();
      expect(requests, key).toBe(1);
    }
    expect(entry.values()).toMatchObject({
      town: null,
      ensemble: null,
      contact: null,
      fee: null,
      on_hand: 20,
    });
  });

  it('reads the columns of many rows at once', async () => {
    const tables = await loadTables(held.db);
    const form = wireForm(linesPlan(), tables);
    const scores = [id('score', 31), id('score', 32)];
    const rows = Array.from({ length: 100 }, (_, i) => ({
      key: `r${i}`,
      values: { score: scores[i % 2], copies: 1 },
    }));
    const entry = new Entry(form, { mode: 'resumed', values: { weeks: 2 }, rows: { lines: rows } });
    let queries = 0;
    const count = () => void queries++;
    held.db.knex.on('query', count);
    await settle(entry, (asks) =>
      databaseReader(
        held.db,
        held.db.knex,
        tables,
        form,
      )(asks.filter((ask) => ask.kind === 'record')),
    );
    held.db.knex.removeListener('query', count);
    expect(queries).toBe(1);
    expect(entry.value('total')).toBe('48.00');
  });
});

describe('F9 the server works everything out anew', () => {
  const values = () => ({ ...borrower(), score: id('score', 31), copies: 1, weeks: 4 });

  it('writes what it computed itself', async () => {
    const receipt = await save('lend', {
      ...values(),
      lent_on: '2027-03-01',
      due_on: '2027-03-29',
    });
    expect(receipt.records.map((r) => r.table)).toEqual(['loan', 'copy_movement']);
    const loan = await held.db
      .knex('loan')
      .withSchema(held.db.records)
      .where({ id: receipt.records[0]?.id })
      .first();
    expect(loan).toMatchObject({ fee: '0.40', contact: 'Brann', copies: 1, due_on: '2027-03-29' });
    const [journal] = await held.db
      .knex('journal')
      .withSchema(held.db.catalog)
      .where({ table_key: 'copy_movement', kind: 'entry' });
    expect(journal).toMatchObject({ form_key: 'lend', record_id: receipt.records[1]?.id });
  });

  it('refuses forged and outdated computed values at their field', async () => {
    expect(await codes(save('lend', { ...values(), fee: '0.01' }))).toEqual(['fee:value_changed']);
    expect(await codes(save('lend', { ...values(), fee: { $gt: 0 } }))).toEqual([
      'fee:value_changed',
    ]);
  });

  it('lists all problems together: checks, requirements, choices', async () => {
    const found = await codes(
      save('lend', { ...values(), ensemble: null, copies: 999, weeks: 12 }),
    );
    expect(found).toEqual(['ensemble:required', 'copies:check_failed', 'reason:required']);
  });

  it('takes nothing for a field that is not shown', async () => {
    const smuggled = save('lend', { ...values(), reason: 'smuggled in' });
    expect(await codes(smuggled)).toEqual(['reason:not_shown']);
  });
});

describe('E1 rows are saved with the form, or not at all', () => {
  const line = (score: number, copies: number) => ({
    values: { score: id('score', score), copies },
  });

  it('with the link to it', async () => {
    const receipt = await save('lines', { weeks: 2 }, { lines: [line(31, 2), line(32, 1)] });
    expect(receipt.records.map((r) => r.table)).toEqual(['loan', 'loan_line', 'loan_line']);
    const [loan] = receipt.records;
    const rows = await held.db
      .knex('loan_line')
      .withSchema(held.db.records)
      .where({ loan: loan?.id })
      .orderBy('id');
    expect(rows.map((row) => [row.copies, row.fee])).toEqual([
      [2, '1.60'],
      [1, '0.16'],
    ]);
  });

  it('problems stand at their row; nothing is written', async () => {
    const before = await held.db.knex('loan').withSchema(held.db.records).count({ n: '*' });
    expect(await codes(save('lines', {}, { lines: [line(31, 1), line(32, 50)] }))).toEqual([
      'lines[1].copies:check_failed',
    ]);
    expect(await codes(save('lines', {}, { lines: [{ values: { price: 1 } }] }))).toEqual([
      'price:unknown_field',
    ]);
    expect(await codes(save('lines', {}, { others: [] }))).toEqual(['others:unknown_field']);
    expect(await held.db.knex('loan').withSchema(held.db.records).count({ n: '*' })).toEqual(
      before,
    );
  });
});

describe('limits hold under simultaneous saves', () => {
  it('60 submits for the last 20 copies write exactly 20, the others are refused by a sentence', async () => {
    const score = await add('score', { code: 'RUSH', name: 'Rush', pages: 1 });
    await add('copy_movement', { score, kind: 'received', quantity: 20 });
    const outcomes = await Promise.all(
      Array.from({ length: 60 }, () =>
        save('lend', { ...borrower(), score, copies: 1, weeks: 1 }).then(
          () => 'saved',
          (error: ProblemError) => error.problems?.map((p) => p.message).join() ?? String(error),
        ),
      ),
    );
    expect(outcomes.filter((outcome) => outcome === 'saved')).toHaveLength(20);
    expect(new Set(outcomes)).toEqual(new Set(['saved', '1 asked, 0 on hand.']));
    expect(await lent(score)).toBe(20);
  });

  it('two scores in opposite order do not lock one another out', async () => {
    const [a, b] = [
      await add('score', { code: 'A', name: 'A' }),
      await add('score', { code: 'B', name: 'B' }),
    ];
    for (const score of [a, b])
      await add('copy_movement', { score, kind: 'received', quantity: 100 });
    const saves = Array.from({ length: 20 }, (_, i) =>
      save('lend', { ...borrower(), score: i % 2 ? a : b, copies: 1, weeks: 1 }),
    );
    await Promise.all(saves);
    expect((await lent(a)) + (await lent(b))).toBe(20);
  });
});

describe('the world in memory is a fair stand-in', () => {
  it('answers as the database does', async () => {
    const form = wireForm(lendingPlan(), lendingTables);
    const ask = {
      id: 'x',
      kind: 'value',
      field: 'received',
      grid: '',
      row: null,
      cause: null,
      given: { score: 32 },
      current: null,
    } as const;
    expect(answerFrom(lendingWorld(), form, ask)).toMatchObject({ value: 2 });
    const [answer] = await read(lendingPlan(), { score: id('score', 32) }, [
      { kind: 'value', field: 'received' },
    ]);
    expect(answer).toMatchObject({ value: 2 });
  });
});
