import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { givesOrder } from '../../src/core/plan/indexes';
import { slowBy } from '../../src/core/plan/slow-view';
import { fixedBy, type Condition } from '../../src/core/table/conditions';
import type { TableIndex } from '../../src/core/table/definition';
import { ensureIndexes, loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import { rowsOf } from '../../src/server/database/rows';
import { allOf, orderBy, TableQuery } from '../../src/server/records/query';
import { column, reference, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_orders');
const keys = ['code', 'tag', 'title', 'era', 'shelf', 'score', 'parent'];

beforeAll(async () => {
  const { db } = held;
  await makeTable(db, table('score', [column('code')]), 'test');
  await makeTable(db, table('parent', [column('code')]), 'test');
  const columns = [
    column('code', { unique: true, required: true }),
    column('tag', { unique: true }),
    ...['title', 'era', 'shelf'].map((key) => column(key)),
    ...[reference('score'), reference('parent')],
  ];
  await makeTable(db, table('piece', columns), 'test');
  const order = (...of: string[]): TableIndex => ({ kind: 'order', columns: of });
  const indexes = [
    order('title', 'shelf'),
    order('era'),
    order('era', 'shelf'),
    order('score', 'era'),
  ];
  await ensureIndexes(
    db,
    indexes.map((index) => ({ table: 'piece', index })),
    'test',
  );
  for (const to of ['score', 'parent']) {
    await db.knex.raw(
      `insert into ${tableSql(db, to)} (code, created_by, updated_by) select seq, 't', 't' from mysql.seq_1_to_40`,
    );
  }
  await db.knex.raw(
    `insert into ${tableSql(db, 'piece')} (code, tag, title, era, shelf, score, parent, created_by, updated_by)
     select concat('P', seq), if(seq % 3 = 0, null, concat('T', seq)), concat('t', seq % 700), concat('e', seq % 5),
       if(seq % 4 = 0, null, concat('s', seq % 90)), 1 + seq % 40, 1 + seq % 37, 't', 't'
     from mysql.seq_1_to_4000`,
  );
  await db.knex.raw(`analyze table ${tableSql(db, 'piece')}`);
}, 60_000);

describe('B5 the order that an index gives', () => {
  it('is known as the database knows it: what is said to need no sorting needs none', async () => {
    const tables = await loadTables(held.db);
    const piece = tableFrom(tables, 'piece');
    const sorts = fc.uniqueArray(fc.tuple(fc.constantFrom(...keys), fc.boolean()), {
      ...{ maxLength: 3, selector: ([key]) => key },
    });
    const narrowed = fc.option(
      fc.constantFrom<[string, string | number]>(['era', 'e3'], ['score', 7]),
    );
    const told = { given: 0, sorted: 0 };
    await fc.assert(
      fc.asyncProperty(sorts, fc.boolean(), narrowed, async (sort, alike, by) => {
        const order = sort.map(([path, down]) => ({ path, descending: alike ? true : down }));
        const conditions: Condition[] = by
          ? [{ path: by[0], operator: 'equal', values: [by[1]] }]
          : [];
        const fixed = fixedBy(conditions);
        const query = new TableQuery(held.db, tables, piece);
        const terms = query.order(order);
        const where = allOf(conditions.map((one) => query.condition(one)));
        const sql = `explain select r.* ${query.from()} where ${where.sql} ${orderBy(terms)} limit 1`;
        const [plan] = await rowsOf(held.db.knex, sql, where.bindings);
        const isSorted = String(plan?.Extra).includes('filesort');
        const gives = givesOrder(
          piece,
          order.map(({ path, descending }) => ({ key: path, descending })),
          fixed,
        );
        if (gives) told.given++;
        if (isSorted) told.sorted++;
        // Under a narrowing the database may rather sort the few that are left than go through an index.
        if (gives && !by) expect([sql, isSorted]).toEqual([sql, false]);
        if (!gives) expect([sql, isSorted]).toEqual([sql, true]);
      }),
      { numRuns: 300 },
    );
    expect(told.given).toBeGreaterThan(20);
    expect(told.sorted).toBeGreaterThan(50);
  }, 60_000);

  it('is given, once the index is made that a slow view is offered', async () => {
    const { db } = held;
    const views = [['shelf'], ['tag'], ['era', 'title'], ['parent', 'score'], ['title', 'code']];
    for (const paths of views) {
      for (const descending of [false, true]) {
        const sort = paths.map((path) => ({ path, descending }));
        const slow = slowBy(tableFrom(await loadTables(db), 'piece'), { filter: [], sort });
        if (!descending) expect(slow?.index?.columns).toEqual(paths);
        // The other way round the same index serves.
        else expect(slow).toBeNull();
        if (!slow?.index) continue;
        await ensureIndexes(db, [{ table: 'piece', index: slow.index }], 'test');
        const tables = await loadTables(db);
        const query = new TableQuery(db, tables, tableFrom(tables, 'piece'));
        const sql = `explain select r.* ${query.from()} ${orderBy(query.order(sort))} limit 1`;
        const [plan] = await rowsOf(db.knex, sql);
        expect([paths.join(), String(plan?.Extra)]).toEqual([
          paths.join(),
          expect.not.stringContaining('filesort'),
        ]);
      }
    }
  }, 60_000);
});
