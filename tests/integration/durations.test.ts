import { randomUUID } from 'node:crypto';
import { beforeAll, describe, expect, it } from 'vitest';
import { ProblemError } from '../../src/core/problems';
import { plainView, viewSchema } from '../../src/core/table/view';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { loadTables, makeTable } from '../../src/server/catalog/tables';
import { readRecords } from '../../src/server/records/read';
import { saveEntry } from '../../src/server/records/save';
import { readTotals } from '../../src/server/records/totals';
import { column, field, planOf, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_durations');

const duration = { kind: 'duration' as const };
const lines = [
  field('worked', { savesTo: 'worked', choices: null }),
  field('double', { savesTo: 'double', computes: 'worked * 2' }),
];
/** Hours of work on an instrument: how long, and twice that; and all that was worked before. */
const plan = planOf('repair', [
  ...lines,
  field('before', {
    rollup: {
      table: 'repair',
      aggregate: 'sum',
      path: 'worked',
      conditions: [],
      less: [],
      narrowings: [],
    },
  }),
  field('late', { computes: 'before + worked > duration("PT3H")', holds: { kind: 'yes_no' } }),
]);

beforeAll(async () => {
  await makeTable(
    held.db,
    table('repair', [column('worked', { type: duration }), column('double', { type: duration })]),
    'test',
  );
  await makeForm(held.db, { table: 'repair', key: 'repair', plan }, 'test');
  await publishForm(held.db, 'repair', 1, 'test');
});

const save = (worked: unknown) =>
  saveEntry(
    held.db,
    'repair',
    { submission: randomUUID(), edition: 1, values: { worked } },
    'test',
  );

describe('A2 durations in a table', () => {
  it('are saved exactly, worked out by formulas, and are whole seconds to other programs', async () => {
    await save('PT1H30M');
    await save('PT20M');
    await save('-PT1S');
    const rows = await held.db.knex('repair').withSchema(held.db.records).orderBy('id').select();
    expect(rows.map(({ worked, double }) => [Number(worked), Number(double)])).toEqual([
      [5400, 10_800],
      [1200, 2400],
      [-1, -2],
    ]);
  });

  it('are read, sorted, filtered and summed as what they are', async () => {
    const tables = await loadTables(held.db);
    const repair = tables.get('repair');
    if (!repair) throw new Error('no table');
    const view = viewSchema.parse({
      filter: [{ path: 'worked', operator: 'at_least', values: ['PT0S'] }],
      sort: [{ path: 'worked', descending: true }],
    });
    const { records } = await readRecords(held.db, tables, repair, { ...view, limit: 10 });
    expect(records.map(({ values }) => values.worked)).toEqual(['PT1H30M', 'PT20M']);
    const totals = (['sum', 'average', 'least', 'greatest', 'count'] as const).map((kind) => {
      return { column: 'worked', kind };
    });
    const { all } = await readTotals(held.db, tables, repair, { ...plainView, totals, most: 1 });
    expect(all?.totals).toEqual(['PT1H49M59S', 'PT36M40S', '-PT1S', 'PT1H30M', 3]);
  });

  it('are refused where they are none', async () => {
    const codes = async (work: Promise<unknown>) =>
      work.then(
        () => 'saved',
        (error: unknown) =>
          error instanceof ProblemError ? error.problems.map(({ code }) => code) : error,
      );
    expect(await codes(save('1:30'))).toEqual(['not_duration']);
    expect(await codes(save(90))).toEqual(['not_duration']);
    expect(await codes(save('P1M'))).toEqual(['not_duration']);
  });
});
