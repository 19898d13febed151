import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import type { Condition } from '../../src/core/table/conditions';
import { ensureIndexes, loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import { rowsOf } from '../../src/server/database/rows';
import { readChoices } from '../../src/server/records/choices';
import { TableQuery } from '../../src/server/records/query';
import { searchedPage } from '../../src/server/records/searched';
import { lookup } from '../../src/core/plan/draft';
import { column, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_searched');
const forms = ['Waltz', 'Elegy', 'Nocturne', 'Lament', 'Märsche'];
const nouns = ['the Harbour', 'Two Rivers in A', 'the Ninth Bell', "the Ferryman's Rest", 'Rain'];
const people = ['Hesper Quist', 'Joran Velden', 'Ada O’Brien', 'Emeric Skeffing-Rookby'];
const records = 3000;

beforeAll(async () => {
  const { db } = held;
  const score = table('score', [
    column('code', { unique: true }),
    column('title'),
    column('composer'),
    column('era'),
  ]);
  await makeTable(db, score, 'test');
  const rows = Array.from({ length: records }, (_, i) => [
    `SC-${String(i + 1).padStart(4, '0')}`,
    `${forms[i % 5]} of ${nouns[Math.floor(i / 7) % 5]}`,
    people[Math.floor(i / 3) % 4],
    i % 500 === 0 ? 'rare' : 'plain',
  ]);
  const marks = rows.map(() => "(?, ?, ?, ?, 't', 't')").join(', ');
  await db.knex.raw(
    `insert into ${tableSql(db, 'score')} (code, title, composer, era, created_by, updated_by) values ${marks}`,
    rows.flat() as string[],
  );
  const indexes = [
    { kind: 'search' as const, columns: ['code', 'title', 'composer'] },
    { kind: 'order' as const, columns: ['title'] },
    { kind: 'order' as const, columns: ['era'] },
  ];
  await ensureIndexes(
    db,
    indexes.map((index) => ({ table: 'score', index })),
    'test',
  );
}, 60_000);

const searching = async (text: string, size: number, era: string | null = null) => {
  const tables = await loadTables(held.db);
  const query = new TableQuery(held.db, tables, tableFrom(tables, 'score'));
  const shown = ['code', 'title', 'composer'].map((path) => query.column(path));
  const condition: Condition[] =
    era === null ? [] : [{ path: 'era', operator: 'equal', values: [era] }];
  const list = {
    ...{ query, shown, text, limit: 50 },
    columns: ['r.id as id', ...shown.map(({ sql }, i) => `${sql} as c${i}`)],
    where: condition.map((one) => query.condition(one)),
    order: query.order([{ path: 'title', descending: false }]).slice(0, -1),
  };
  return (after?: string) => searchedPage(held.db, held.db.knex, size, { ...list, after });
};

/** All that is found, page after page. */
const all = async (text: string, size: number, era: string | null = null) => {
  const page = await searching(text, size, era);
  const found: number[] = [];
  let after: string | undefined;
  do {
    const { rows, next } = await page(after);
    found.push(...rows.map(({ id }) => Number(id)));
    after = next ?? undefined;
  } while (after !== undefined);
  return found;
};

/** What the database finds where it looks through everything. */
const looked = async (text: string, era: string | null = null) => {
  const tables = await loadTables(held.db);
  const shown = ['code', 'title', 'composer'];
  const choices = { ...lookup('score', tables), shown };
  const conditions =
    era === null ? [] : [{ path: 'era', operator: 'equal' as const, values: [era] }];
  const found: number[] = [];
  let after: string | undefined;
  do {
    const wish = { choices: { ...choices, conditions }, given: {}, current: null, search: text };
    const offer = await readChoices(held.db, held.db.knex, tables, {
      ...wish,
      ...(after ? { after } : {}),
    });
    found.push(...offer.choices.map(({ value }) => Number(value)));
    after = offer.next ?? undefined;
  } while (after !== undefined);
  return found;
};
const sorted = (ids: number[]) => [...ids].sort((a, b) => a - b);

/** So large that rows are tested in their order, or so small that the index of words is asked. */
const ways = { 'testing rows': 1e9, 'the index of words': 1 };

describe('B5 searching a large table', () => {
  it('finds by any way what is found by looking through everything, once each', async () => {
    const word = fc.constantFrom(
      ...['waltz', 'WAL', 'of', 'the', 'harb', 'quist', 'velden', 'obrien', 'o’brien', 'rest'],
      ...['skeffing', 'rookby', 'sc', '00', '0042', 'SC-00', 'SC-0042', 'marsche', 'zebra', 'bell'],
    );
    const text = fc
      .tuple(fc.array(word, { minLength: 1, maxLength: 3 }), fc.constantFrom('', ' a', ' h'))
      .map(([words, letter]) => words.join(' ') + letter);
    const era = fc.constantFrom(null, 'rare', 'plain');
    await fc.assert(
      fc.asyncProperty(text, era, fc.constantFrom(...Object.values(ways)), async (t, e, size) => {
        const found = await all(t, size, e);
        expect(new Set(found).size).toBe(found.length);
        expect(sorted(found)).toEqual(sorted(await looked(t, e)));
      }),
      { numRuns: 40 },
    );
  }, 120_000);

  it.each(Object.entries(ways))(
    'has first what begins with the text, then the order of the list, by %s',
    async (_, size) => {
      const [first, ...rest] = (await (await searching('sc-0042', size))()).rows;
      expect([first?.c0, rest.length]).toEqual(['SC-0042', 0]);
      const { rows } = await (await searching('quist', size))();
      const titles = rows.map((row) => String(row.c1));
      expect(titles).toEqual([...titles].sort((a, b) => (a < b ? -1 : a > b ? 1 : 0)));
    },
  );

  it.each(['%', '_', '☂', '%%%', '\\', "' or 1=1 --", '+-*()~<>@', '"', 'aaaaaaaa'])(
    'finds nothing for %s, and says so',
    async (text) => {
      for (const size of Object.values(ways)) expect(await all(text, size)).toEqual([]);
    },
  );

  it('counts all that is found where somebody wants to know', async () => {
    const { db } = held;
    const tables = await loadTables(db);
    const choices = { ...lookup('score', tables), shown: ['code', 'title', 'composer'] };
    const ask = (more: object) =>
      readChoices(db, db.knex, tables, { choices, given: {}, current: null, limit: 50, ...more });
    for (const search of ['waltz', 'rain quist', 'SC-00', 'a', 'the harbour elegy', 'nothing']) {
      let pages = 0;
      for (let after: string | undefined | null; after !== null;) {
        const page = await ask({ search, ...(after ? { after } : {}) });
        pages += page.choices.length;
        after = page.next;
      }
      const { found, more } = await ask({ search, whole: true });
      expect([found, more], search).toEqual([pages, false]);
    }
    expect((await ask({ search: '', whole: true })).found).toBe(records);
  });

  it('takes twenty words, a word of 400 letters, and a single letter', async () => {
    for (const size of Object.values(ways)) {
      expect(await all('x'.repeat(400), size)).toEqual([]);
      const twenty = Array.from({ length: 20 }, () => 'waltz').join(' ');
      expect(await all(twenty, size)).toHaveLength(records / 5);
      expect((await (await searching('h', size))()).rows.length).toBeGreaterThan(40);
    }
  });

  it('goes on behind a row that is gone, and refuses a place that is none', async () => {
    const page = await searching('waltz', 1e9);
    const { rows, next } = await page();
    const last = Number(rows.at(-1)?.id);
    const kept = await rowsOf(
      held.db.knex,
      `select * from ${tableSql(held.db, 'score')} where id = ?`,
      [last],
    );
    await held.db.knex.raw(`delete from ${tableSql(held.db, 'score')} where id = ?`, [last]);
    const second = await page(next ?? '');
    expect(second.rows).toHaveLength(50);
    const seen = new Set(rows.map(({ id }) => Number(id)));
    expect(second.rows.some(({ id }) => seen.has(Number(id)))).toBe(false);
    await held.db.knex(`score`).withSchema(held.db.records).insert(kept);
    for (const wrong of ['nowhere', 'WzksMV0', 'Wzld']) {
      await expect(page(wrong)).rejects.toThrow(/no place in this list/);
    }
  });
});
