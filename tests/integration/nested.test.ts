import { randomUUID } from 'node:crypto';
import { beforeAll, describe, expect, it } from 'vitest';
import { demoPlans } from '../../demo/plans';
import type { OpenedRecord } from '../../src/core/entry/stored';
import type { Plan } from '../../src/core/plan/schema';
import { ProblemError } from '../../src/core/problems';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { loadTables, makeTable } from '../../src/server/catalog/tables';
import { ConflictError } from '../../src/server/records/conflicts';
import { knownForm } from '../../src/server/records/wired';
import { openRecord } from '../../src/server/records/open';
import { saveEntry, type EntryRequest } from '../../src/server/records/save';
import { inTransaction } from '../../src/server/database/transaction';
import { column, reference, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_nested');
const plan = demoPlans.region as Plan;

beforeAll(async () => {
  const key = { required: true, unique: true };
  const link = { required: true };
  for (const one of [
    table('region', [column('name', key)]),
    table('town', [column('name', key), reference('region', 'region', link)]),
    table('ensemble', [
      column('name', key),
      column('member_code', key),
      reference('town', 'town', link),
      column('contact'),
      column('weekly_rate', { type: { kind: 'decimal', precision: 6, scale: 2 }, required: true }),
    ]),
  ]) {
    await makeTable(held.db, one, 'test');
  }
  await makeForm(held.db, { table: 'region', key: 'region', plan }, 'test');
  await publishForm(held.db, 'region', 1, 'test');
});

type Sent = Partial<EntryRequest> & Pick<EntryRequest, 'values'>;
const save = (sent: Sent) =>
  saveEntry(held.db, 'region', { submission: randomUUID(), edition: 1, ...sent }, 'test');

let made = 0;
const player = (of: string, more: object = {}) => {
  const n = ++made;
  return { of, values: { name: `E${n}`, member_code: `C${n}`, weekly_rate: '4.50', ...more } };
};

/** A region with two towns, the first of which has two ensembles. */
async function region(): Promise<OpenedRecord> {
  const n = ++made;
  const towns = [1, 2].map((i) => ({ key: `t${i}`, values: { name: `Town ${n}.${i}` } }));
  const rows = { towns, ensembles: [player('t1'), player('t1')] };
  const receipt = await save({ values: { name: `Region ${n}` }, rows });
  return open(receipt.records[0]?.id ?? 0);
}

async function open(id: number): Promise<OpenedRecord> {
  const tables = await loadTables(held.db);
  const form = knownForm(plan, tables);
  return (await openRecord(held.db, held.db.knex, tables, form, id)) ?? expect.fail('not there');
}

/** What a screen sends of an opened record that nobody has changed. */
function sent({ stored, values, rows }: OpenedRecord): Sent & { rows: EntryRequest['rows'] } {
  const { id, version } = stored;
  const lines = Object.entries(rows).map(([grid, list]) => [
    grid,
    list.map(({ stored: { id, version }, values, of }) => ({
      id,
      version,
      values,
      ...(of === undefined ? {} : { of }),
    })),
  ]);
  return { record: { id, version }, values, rows: Object.fromEntries(lines) };
}

const refusal = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('was not refused'),
    (error: unknown) => {
      if (error instanceof ProblemError) return error;
      throw error;
    },
  );
const codes = async (work: Promise<unknown>) =>
  (await refusal(work)).problems.map((p) => `${p.path}:${p.code}`);

describe('E8 rows inside rows', () => {
  it('are written with their parents in one save, and opened where they stood', async () => {
    const opened = await region();
    const [one, two] = opened.rows.towns ?? [];
    expect(opened.rows.ensembles?.map(({ of }) => of)).toEqual([
      `#${one?.stored.id}`,
      `#${one?.stored.id}`,
    ]);
    expect(two?.values.name).toMatch(/\.2$/);
  });

  it('are changed, added and taken out, a row with all that stands in it', async () => {
    const opened = await region();
    const request = sent(opened);
    const [one, two] = request.rows.towns ?? [];
    if (!one || !two) throw new Error('no towns');
    request.rows.towns = [{ ...one, removed: true }, two];
    const out = (request.rows.ensembles ?? []).map((row) => ({ ...row, removed: true }));
    request.rows.ensembles = [...out, player(`#${two.id}`)];
    const receipt = await save(request);
    expect(receipt.records.map(({ table, action }) => `${table} ${action}`)).toEqual([
      'ensemble inserted',
      'ensemble deleted',
      'ensemble deleted',
      'town deleted',
    ]);
    const now = await open(opened.stored.id);
    expect(now.rows.ensembles?.map(({ of }) => of)).toEqual([`#${two.id}`]);
  });

  it('are refused at the cell, and then nothing is written', async () => {
    const opened = await region();
    const request = sent(opened);
    const [one] = request.rows.towns ?? [];
    request.rows.ensembles?.push(player(`#${one?.id}`, { weekly_rate: '-1.00' }));
    expect(await codes(save(request))).toEqual(['ensembles[2].weekly_rate:check_failed']);
    expect((await open(opened.stored.id)).rows.ensembles).toHaveLength(2);
  });

  it('are refused where they stand in no row, or in one of another record', async () => {
    const [mine, other] = [await region(), await region()];
    const request = sent(mine);
    const kept = request.rows.ensembles ?? [];
    for (const of of ['nowhere', `#${other.rows.towns?.[0]?.stored.id}`]) {
      request.rows.ensembles = [...kept, player(of)];
      expect(await codes(save(request))).toEqual(['ensembles[2]:rows_gone']);
    }
    const [foreign] = sent(other).rows.ensembles ?? [];
    const [town] = request.rows.towns ?? [];
    if (!foreign) throw new Error('no ensemble');
    request.rows.ensembles = [...kept, { ...foreign, of: `#${town?.id}` }];
    expect(await codes(save(request))).toEqual(['ensembles[2]:rows_gone']);
  });

  it('meet another person who has added one in a row that was taken out', async () => {
    const opened = await region();
    const [mine, theirs] = [sent(opened), sent(opened)];
    const [one, two] = mine.rows.towns ?? [];
    if (!one || !two) throw new Error('no towns');
    theirs.rows.ensembles?.push(player(`#${one.id}`));
    await save(theirs);
    mine.rows.towns = [{ ...one, removed: true }, two];
    mine.rows.ensembles = (mine.rows.ensembles ?? []).map((row) => ({ ...row, removed: true }));
    const error = await refusal(save(mine));
    if (!(error instanceof ConflictError)) throw error;
    expect(error.conflicts.map(({ table, id, kind }) => [table, id, kind])).toEqual([
      ['town', one.id, 'left'],
    ]);
  });
});

describe('a deadlock', () => {
  it('is tried again, and both writes are there in the end', async () => {
    const [a, b] = [await region(), await region()];
    const hold = (trx: Parameters<Parameters<typeof inTransaction>[1]>[0], id: number) =>
      trx('region').withSchema(held.db.records).where({ id }).increment('row_version');
    let tries = 0;
    let reached = 0;
    const crossing = (first: number, second: number) =>
      inTransaction(held.db, async (trx) => {
        tries++;
        await hold(trx, first);
        reached++;
        // Both hold their first row before either asks for the other one.
        for (let n = 0; n < 200 && reached < 2; n++)
          await new Promise((done) => setTimeout(done, 5));
        await hold(trx, second);
      });
    const [one, two] = [a.stored.id, b.stored.id];
    await Promise.all([crossing(one, two), crossing(two, one)]);
    expect(tries).toBeGreaterThan(2);
    for (const id of [one, two]) expect((await open(id)).stored.version).toBe(3);
  });
});
