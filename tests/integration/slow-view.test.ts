import { beforeAll, describe, expect, it } from 'vitest';
import { slowBy } from '../../src/core/plan/slow-view';
import type { View } from '../../src/core/table/view';
import { ensureIndexes, loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import { rowsOf } from '../../src/server/database/rows';
import { readRecords } from '../../src/server/records/read';
import { column, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_slow_view');
const records = 60_000;

beforeAll(async () => {
  const text = { type: { kind: 'text' as const, format: 'plain' as const, length: 40 } };
  const columns = [column('title', text), column('shelf', text)];
  await makeTable(held.db, table('score', columns), 'test');
  const sql = tableSql(held.db, 'score');
  const rows = Array.from({ length: records }, (_, i) => ({
    ...{ title: `Score ${i}`, shelf: i % 50 === 0 ? null : `Shelf ${i % 997}` },
    ...{ created_by: 'test', updated_by: 'test' },
  }));
  await held.db.knex.batchInsert(`${held.db.records}.score`, rows, 5000);
  await held.db.knex.raw(`analyze table ${sql}`);
});

type Wish = Pick<View, 'filter' | 'sort'>;
const house = async () => {
  const tables = await loadTables(held.db);
  return { tables, score: tableFrom(tables, 'score') };
};

/** How the database reads a page of a view: whether it sorts, and about how many rows it passes. */
async function readsOf(wish: Wish, after?: string): Promise<{ sorts: boolean; rows: number }> {
  const asked: { sql: string; bindings: unknown[] }[] = [];
  const note = (query: { sql: string; bindings: unknown[] }) => asked.push(query);
  held.db.knex.on('query', note);
  const { tables, score } = await house();
  await readRecords(held.db, tables, score, { ...wish, after, limit: 50, counts: false });
  held.db.knex.off('query', note);
  const page = asked.findLast(({ sql }) => / limit 51/.test(sql));
  if (!page) throw new Error(asked.map(({ sql }) => sql).join('\n'));
  const plan = await rowsOf(held.db.knex, `explain ${page.sql}`, page.bindings as string[]);
  return {
    sorts: plan.some(({ Extra }) => String(Extra).includes('filesort')),
    rows: plan.reduce((most, { rows }) => Math.max(most, Number(rows)), 0),
  };
}

const by = (descending: boolean): Wish => ({ filter: [], sort: [{ path: 'shelf', descending }] });
const narrowed: Wish = {
  filter: [{ path: 'shelf', operator: 'equal', values: ['Shelf 7'] }],
  sort: [],
};

describe('A6 a view that looks through all records', () => {
  it('is told as what it is, as the database does it', async () => {
    const { score } = await house();
    for (const wish of [by(false), by(true)]) {
      expect(slowBy(score, wish)).toMatchObject({ by: 'sort', index: { columns: ['shelf'] } });
      expect(await readsOf(wish)).toMatchObject({ sorts: true });
    }
    expect(slowBy(score, narrowed)).toMatchObject({ by: 'filter' });
    const { tables } = await house();
    const { records: found } = await readRecords(held.db, tables, score, {
      ...by(true),
      limit: 50,
    });
    expect(found[0]?.values.shelf).toBe('Shelf 996');
  });

  it('is so no more once there is the index that is offered, in both directions', async () => {
    const { score } = await house();
    const index = slowBy(score, by(false))?.index;
    if (!index) throw new Error('none is offered');
    await ensureIndexes(held.db, [{ table: 'score', index }], 'test');
    await held.db.knex.raw(`analyze table ${tableSql(held.db, 'score')}`);
    const { tables, score: after } = await house();
    for (const wish of [by(false), by(true)]) {
      expect(slowBy(after, wish)).toBeNull();
      expect(await readsOf(wish)).toEqual({ sorts: false, rows: 51 });
      // All pages hold each record once.
      const seen = new Set<number>();
      let cursor: string | null = '';
      while (cursor !== null) {
        const page = { ...wish, after: cursor || undefined, limit: 5000 };
        const read = await readRecords(held.db, tables, after, page);
        for (const { id } of read.records) seen.add(id);
        cursor = read.next;
      }
      expect(seen.size).toBe(records);
    }
    expect(slowBy(after, narrowed)).toBeNull();
    expect((await readsOf(narrowed)).rows).toBeLessThan(100);
  });
});
