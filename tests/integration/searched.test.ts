import { text } from 'node:stream/consumers';
import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { fixedBy, type Condition } from '../../src/core/table/conditions';
import { ensureIndexes, loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import { rowsOf, type Row } from '../../src/server/database/rows';
import { readChoices } from '../../src/server/records/choices';
import {
  lookThrough,
  orderValues,
  type Found,
  type Looking,
  type Place,
} from '../../src/server/records/looked-through';
import { allOf, orderBy, TableQuery, type Piece } from '../../src/server/records/query';
import { readRecords } from '../../src/server/records/read';
import { takeOut } from '../../src/server/out/records';
import { searchPieces } from '../../src/server/records/search';
import { searchedPage } from '../../src/server/records/searched';
import { referredPieces } from '../../src/server/records/searched-through';
import { lookup } from '../../src/core/plan/draft';
import { column, reference, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_searched');
const forms = ['Waltz', 'Elegy', 'Nocturne', 'Lament', 'Märsche'];
const nouns = ['the Harbour', 'Two Rivers in A', 'the Ninth Bell', "the Ferryman's Rest", 'Rain'];
const people = ['Hesper Quist', 'Joran Velden', 'Ada O’Brien', 'Emeric Skeffing-Rookby'];
const records = 3000;

beforeAll(async () => {
  const { db } = held;
  const score = table('score', [
    column('code', { unique: true, required: true }),
    column('title'),
    column('composer'),
    column('era'),
  ]);
  await makeTable(db, score, 'test');
  const rows = Array.from({ length: records }, (_, i) => [
    `SC-${String(i + 1).padStart(4, '0')}`,
    `${forms[i % 5]} of ${nouns[Math.floor(i / 7) % 5]}`,
    people[Math.floor(i / 3) % 4],
    i % 500 === 0 ? 'rare' : i % 11 === 0 ? null : 'plain',
  ]);
  const marks = rows.map(() => "(?, ?, ?, ?, 't', 't')").join(', ');
  await db.knex.raw(
    `insert into ${tableSql(db, 'score')} (code, title, composer, era, created_by, updated_by) values ${marks}`,
    rows.flat() as (string | null)[],
  );
  const kinds = ['lent', 'returned'].map((value) => ({ value, label: value }));
  const movement = table('movement', [
    reference('score'),
    column('kind', { type: { kind: 'option', options: kinds } }),
    column('moved_on', { type: { kind: 'date' } }),
  ]);
  await makeTable(db, movement, 'test');
  await db.knex.raw(
    `insert into ${tableSql(db, 'movement')} (score, kind, moved_on, created_by, updated_by)
     select 1 + (seq * 7) % ${records}, if(seq % 3 = 0, 'lent', 'returned'), '2025-12-01' + interval seq % 90 day, 't', 't'
     from mysql.seq_1_to_700`,
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

/** A list that is searched: of a table, as its rows are shown, in an order, narrowed by one column. */
interface Searched {
  of: string;
  shown: string[];
  by: string;
  narrowed: string;
}
const scores: Searched = {
  ...{ of: 'score', shown: ['code', 'title', 'composer'], by: 'title', narrowed: 'era' },
};
const movements: Searched = {
  of: 'movement',
  shown: ['score.code', 'score.title', 'score.composer', 'kind', 'moved_on'],
  ...{ by: 'moved_on', narrowed: 'kind' },
};

const searching = async (
  text: string,
  size: number,
  value: string | null = null,
  list = scores,
) => {
  const tables = await loadTables(held.db);
  const query = new TableQuery(held.db, tables, tableFrom(tables, list.of));
  const shown = list.shown.map((path) => query.column(path));
  const condition = narrowedTo(value, list);
  const wish = {
    ...{ query, shown, text, limit: 50 },
    columns: ['r.id as id', ...shown.map(({ sql }, i) => `${sql} as c${i}`)],
    where: condition.map((one) => query.condition(one)),
    fixed: fixedBy(condition),
    order: query.order([{ path: list.by, descending: false }]).slice(0, -1),
  };
  return (after?: string) => searchedPage(held.db, held.db.knex, size, { ...wish, after });
};
const narrowedTo = (value: string | null, { narrowed }: Searched): Condition[] =>
  value === null ? [] : [{ path: narrowed, operator: 'equal', values: [value] }];

/** All that is found, page after page. */
const all = async (text: string, size: number, value: string | null = null, list = scores) => {
  const page = await searching(text, size, value, list);
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
const looked = async (text: string, value: string | null = null, list = scores) => {
  const tables = await loadTables(held.db);
  const choices = { ...lookup(list.of, tables), shown: list.shown };
  const conditions = narrowedTo(value, list);
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

  it('finds through references, by any way, what is found by looking through everything', async () => {
    const word = fc.constantFrom(
      ...['waltz', 'WAL', 'of', 'harb', 'quist', 'obrien', 'rookby', 'sc', '00', '0042', 'SC-0042'],
      ...['len', 'RETURNED', '2025', '2026', '1', '12', '2026-01', 'marsche', 'zebra', 'märsche'],
    );
    const text = fc.array(word, { minLength: 1, maxLength: 3 }).map((words) => words.join(' '));
    const kind = fc.constantFrom(null, 'lent');
    await fc.assert(
      fc.asyncProperty(text, kind, fc.constantFrom(...Object.values(ways)), async (t, k, size) => {
        const found = await all(t, size, k, movements);
        expect(new Set(found).size).toBe(found.length);
        expect(sorted(found)).toEqual(sorted(await looked(t, k, movements)));
      }),
      { numRuns: 30 },
    );
  }, 120_000);

  it('goes from the records that hold a rare word to the rows that refer to them', async () => {
    const tables = await loadTables(held.db);
    const query = new TableQuery(held.db, tables, tableFrom(tables, 'movement'));
    const shown = movements.shown.map((path) => query.column(path));
    const through = (...words: string[]) =>
      referredPieces(held.db, held.db.knex, query, shown, words);
    expect((await through('SC', '0042'))?.map(({ bindings }) => bindings)).toEqual([[42]]);
    expect(await through('zebra')).toEqual([{ sql: 'false', bindings: [] }]);
    // What could be a day or a kind, and what is in too many records, is tested row by row.
    expect(await through('2026')).toBeNull();
    expect(await through('lent')).toBeNull();
    expect(await through('SC')).toBeNull();
  });

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

  it('part by part, in any order and however small the parts, finds all in its order', async () => {
    const tables = await loadTables(held.db);
    const direction = fc.boolean();
    const orders = fc.uniqueArray(fc.constantFrom('era', 'title', 'composer', 'code'), {
      maxLength: 2,
    });
    const tested = fc.constantFrom('%rare%', '%Rain%', '%zzz%', '%');
    await fc.assert(
      fc.asyncProperty(
        ...[orders, direction, tested, fc.integer({ min: 150, max: 4000 })],
        fc.integer({ min: 1, max: 900 }),
        async (paths, descending, pattern, rowsAtATime, wanted) => {
          const query = new TableQuery(held.db, tables, tableFrom(tables, 'score'));
          const terms = query.order(paths.map((path) => ({ path, descending })));
          const fits = { sql: "concat(title, ' ', coalesce(era, '')) like ?", bindings: [pattern] };
          const columns = ['r.id', ...terms.map(({ sql }, i) => `${sql} as o${i}`)].join(', ');
          const read = (within: Piece[], most: number) => {
            const where = allOf([...within, fits]);
            const sql = `select ${columns} ${query.from()} where ${where.sql} ${orderBy(terms)} limit ${most}`;
            return rowsOf(held.db.knex, sql, where.bindings);
          };
          const found: number[] = [];
          let stops = 0;
          for (let place: Place | null = { last: null, looked: 0 }; place !== null;) {
            const looking: Looking<Row> = {
              runner: held.db.knex,
              query,
              terms,
              from: place,
              wanted,
              read,
            };
            const { rows, stopped }: Found<Row> = await lookThrough(looking, {
              rowsAtATime,
              patience: 0,
            });
            found.push(...rows.map(({ id }) => Number(id)));
            const end: Row | undefined = rows.length >= wanted ? rows.at(-1) : undefined;
            if (stopped) expect(stopped.looked).toBe(++stops * rowsAtATime);
            place = end ? { last: orderValues(terms, end), looked: 0 } : stopped;
            if (end) stops = 0;
          }
          const whole = await read([], records + 1);
          expect(found).toEqual(whole.map(({ id }) => Number(id)));
        },
      ),
      { numRuns: 25 },
    );
  }, 120_000);

  it.each([false, true])('finds different values by their index, descending: %s', async (d) => {
    const tables = await loadTables(held.db);
    const query = new TableQuery(held.db, tables, tableFrom(tables, 'score'));
    const title = query.column('title');
    for (const text of ['waltz', 'of the', 'rain', 'wal', 'elegy of two', 'e', 'zebra', '%']) {
      for (const era of [null, 'rare']) {
        const conditions = narrowedTo(era, scores);
        const where = conditions.map((one) => query.condition(one));
        const fixed = fixedBy(conditions);
        const list = {
          ...{ query, shown: [title], text, where, fixed, distinct: true, limit: 3 },
          columns: [`${title.sql} as c0`],
          order: [{ ...title, descending: d }],
        };
        const found: string[] = [];
        for (let after: string | undefined | null; after !== null;) {
          const wish = { ...list, after: after ?? undefined };
          const page = await searchedPage(held.db, held.db.knex, 1e9, wish);
          found.push(...page.rows.map(({ c0 }) => String(c0)));
          after = page.next;
        }
        const { pieces } = await searchPieces(held.db, query.table, [title], text);
        const all = allOf([...where, ...pieces]);
        const sql = `select distinct title from ${tableSql(held.db, 'score')} r where ${all.sql}`;
        const known = await rowsOf(held.db.knex, sql, all.bindings);
        const [begins, others] = [true, false].map((is) =>
          known
            .map((row) => String(row.title))
            .filter((one) => one.toLowerCase().startsWith(text) === is)
            .sort((a, b) => a.localeCompare(b, 'en') * (d && !is ? -1 : 1)),
        );
        expect(found, `${text} ${era}`).toEqual([...(begins ?? []), ...(others ?? [])]);
      }
    }
  });

  it('finds all of a large table that has no index of words, page after page, and in an export', async () => {
    const { db } = held;
    await makeTable(db, table('tag', [column('name'), column('kind')]), 'test');
    await db.knex.raw(
      `insert into ${tableSql(db, 'tag')} (name, kind, created_by, updated_by)
       select concat('tag ', seq), if(seq % 30000 = 7, 'rare find', 'plain'), 't', 't' from mysql.seq_1_to_120000`,
    );
    await db.knex.raw(`analyze table ${tableSql(db, 'tag')}`);
    // Their sizes are read anew.
    const fresh = { ...db };
    const tables = await loadTables(fresh);
    const tag = { ...tableFrom(tables, 'tag'), display: ['name', 'kind'] };
    for (const descending of [false, true]) {
      const sort = [{ path: 'id', descending }];
      const found: number[] = [];
      let looks = 0;
      for (let after: string | undefined | null; after !== null;) {
        const wish = { filter: [], sort, search: 'find', limit: 3, patience: 0 };
        const page = await readRecords(fresh, tables, tag, { ...wish, after: after ?? undefined });
        found.push(...page.records.map(({ id }) => id));
        if (page.looked) {
          looks++;
          expect(page.looked.rows % 20_000).toBe(0);
          expect([page.more, page.next]).toEqual([true, expect.any(String)]);
        }
        after = page.next;
      }
      const all = [7, 30_007, 60_007, 90_007];
      expect(found).toEqual(descending ? all.reverse() : all);
      expect(looks).toBeGreaterThan(2);
    }
    // Opened without an index for its order, a list comes in the order of its records.
    const offered = (more: object) => {
      const choices = { ...lookup('tag', tables), shown: ['name'], ...more };
      return readChoices(fresh, db.knex, tables, { choices, given: {}, current: null });
    };
    const order = [{ path: 'kind', descending: true }];
    const opened = await offered({ order });
    expect(opened.choices.map(({ value }) => value).slice(0, 8)).toEqual([1, 2, 3, 4, 5, 6, 7, 8]);
    const different = await offered({
      ...{ order: [], distinct: true, stores: { kind: 'copy', column: 'kind' } },
    });
    expect(different.choices.map(({ value }) => value)).toEqual(['plain', 'rare find']);
    expect(different.looked?.rows).toBe(50_000);
    // What narrows without an index does not have all of it looked through at once either.
    const filter: Condition[] = [{ path: 'kind', operator: 'equal', values: ['rare find'] }];
    const narrowed = { filter, sort: [], search: 'tag', limit: 3, patience: 0 };
    const { records: some, looked: part } = await readRecords(fresh, tables, tag, narrowed);
    expect([some.map(({ id }) => id), part?.rows]).toEqual([[7], 20_000]);
    const wish = { filter: [], sort: [], search: 'find', references: 'names' as const };
    const lines = takeOut(fresh, tables, tag, { ...wish, format: 'jsonl' });
    expect((await text(lines)).trim().split('\n')).toHaveLength(4);
  });
});
