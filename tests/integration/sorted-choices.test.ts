import { beforeAll, describe, expect, it } from 'vitest';
import { lookup } from '../../src/core/plan/draft';
import { ensureIndexes, loadTables, makeTable } from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import { keepWords } from '../../src/server/keeping/words';
import { readChoices } from '../../src/server/records/choices';
import type { ChoicesWish } from '../../src/server/records/choices-compiled';
import { column, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_sorted_choices');
const records = 120_000;

beforeAll(async () => {
  const columns = [column('code', { unique: true, required: true }), column('composer')];
  await makeTable(held.db, { ...table('score', columns), display: ['code', 'composer'] }, 'test');
  const sql = tableSql(held.db, 'score');
  // The composers run the other way than the records; a few have a name of their own, far behind.
  await held.db.knex.raw(
    `insert into ${sql} (code, composer, created_by, updated_by)
     select concat('SC-', lpad(seq, 7, '0')), concat(if(seq % 20011 = 0, 'Hesper ', 'Quist '), lpad(${records} - seq, 7, '0')), 't', 't'
     from ${tableSql(held.db, `seq_1_to_${records}`)}`,
  );
  await held.db.knex.raw(`analyze table ${sql}`);
  const index = { kind: 'search' as const, columns: ['code', 'composer'] };
  await ensureIndexes(held.db, [{ table: 'score', index }], 'test');
  await keepWords(held.db);
}, 60_000);

const [byCode, byComposer] = [0, 1];

async function read(more: Partial<ChoicesWish>) {
  const tables = await loadTables(held.db);
  const wish = { choices: lookup('score', tables), given: {}, current: null, ...more };
  return readChoices(held.db, held.db.knex, tables, wish);
}

/** What is shown of all choices of a list, page by page; of at most so many pages. */
async function shown(more: Partial<ChoicesWish>, most = 20): Promise<string[][]> {
  const all: string[][] = [];
  let after: string | undefined;
  for (let page = 0; page < most; page++) {
    const { choices, next } = await read({ ...more, ...(after ? { after } : {}) });
    all.push(...choices.map((choice) => choice.shown.map(String)));
    if (next === null) break;
    after = next;
  }
  return all;
}

const composers = (rows: readonly string[][]) => rows.map(([, composer]) => composer);

describe('choices from a large table that are sorted by a shown column', () => {
  it('come whole and at once where an index has their order', async () => {
    const order = { column: byCode, descending: true };
    const { choices, looked } = await read({ order });
    expect(looked).toBeUndefined();
    expect(choices[0]?.shown[0]).toBe(`SC-0${records}`);
  });

  it('are those of the first records where none has it, and say so', async () => {
    const order = { column: byComposer, descending: false };
    const { looked } = await read({ order });
    expect(looked?.rows).toBe(50_000);
    expect(looked?.of).toBeGreaterThan(100_000);
    const rows = await shown({ order }, 3);
    expect(new Set(rows.map(([code]) => code)).size).toBe(150);
    expect(composers(rows)).toEqual([...composers(rows)].sort());
    // The first of the 50,000: what comes before it stands behind them.
    expect(rows[0]?.[1]).toBe('Hesper 0079978');
  });

  it('are whole again where the form narrows them to a few', async () => {
    const choices = { ...lookup('score', await loadTables(held.db)) };
    const conditions = [{ path: 'code', operator: 'begins_with' as const, values: ['SC-00999'] }];
    const order = { column: byComposer, descending: false };
    const wish = { choices: { ...choices, conditions }, order };
    expect((await read(wish)).looked).toBeUndefined();
    expect(await shown(wish)).toHaveLength(100);
  });

  it('are all that a search finds, wherever they stand, where that is not many', async () => {
    for (const descending of [false, true]) {
      const wish = { search: 'hesper', order: { column: byComposer, descending } };
      expect((await read(wish)).looked).toBeUndefined();
      const found = composers(await shown(wish));
      expect(found).toHaveLength(Math.floor(records / 20_011));
      const sorted = [...found].sort();
      expect(found).toEqual(descending ? sorted.reverse() : sorted);
    }
  });

  it('are the first that a search finds where that is many, and say so', async () => {
    const wish = { search: 'quist', order: { column: byComposer, descending: false } };
    expect((await read(wish)).looked).toEqual({ rows: 300, of: null });
    const found = composers(await shown(wish));
    expect(found).toHaveLength(300);
    expect(found).toEqual([...found].sort());
    const nothing = await read({ ...wish, search: 'zebra' });
    expect(nothing.choices).toEqual([]);
    // It is for what was typed that there is nothing.
    expect(nothing.empty?.withoutSearch).toBeGreaterThan(0);
    expect((await read({ ...wish, whole: true })).found).toBe(records - 5);
    expect((await read({ order: wish.order, whole: true })).found).toBe(records);
  });
});
