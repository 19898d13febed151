import { beforeAll, describe, expect, it, vi } from 'vitest';
import { lookup } from '../../src/core/plan/draft';
import {
  removeColumn,
  removeTable,
  renameTableColumn,
  renameWholeTable,
} from '../../src/server/catalog/restructure';
import {
  ensureIndexes,
  loadTables,
  makeTable,
  relabelTable,
  tableFrom,
} from '../../src/server/catalog/tables';
import { tableSql, wordsName } from '../../src/server/database/ddl';
import { rowsOf } from '../../src/server/database/rows';
import { indexWords, keepWords, wordsFor, wordsStates } from '../../src/server/keeping/words';
import { readChoices } from '../../src/server/records/choices';
import { readRecords } from '../../src/server/records/read';
import { indexesBeside, wordsSql } from '../../src/server/records/words-beside';
import { addRecord, changeRecord, deleteRecord } from '../../src/server/records/write';
import { column, table } from '../support/definitions';
import { useDatabase } from '../support/house';

/** The words of a large table stand beside it: they are taken in while people save, and held against the records. */

const held = useDatabase('t_words_beside');
const records = 110_000;
let key = 'score';

const house = () => loadTables(held.db);
const own = async () => tableFrom(await house(), key);
const index = async () => {
  const [only] = indexesBeside(await own());
  if (!only) throw new Error('no words stand beside the table');
  return only;
};
const words = async () => tableSql(held.db, wordsName((await index()).beside.name));
const rows = (sql: string, bound: (string | number)[] = []) => rowsOf(held.db.knex, sql, bound);

/** In how many records the words stand otherwise, or without a record. */
const wrong = async () => {
  const [of, at] = [tableSql(held.db, key), await words()];
  const [row] = await rows(
    `select (select count(*) from ${of} r left join ${at} w on w.id = r.id
        where not (cast(w.words as binary) <=> cast(${wordsSql(await index())} as binary)))
      + (select count(*) from ${at} w left join ${of} r on r.id = w.id where r.id is null) as n`,
  );
  return Number(row?.n);
};

/** The first records that a search of the list finds, by their titles. */
const found = async (text: string) => {
  const tables = await house();
  const choices = { ...lookup(key, tables), shown: ['code', 'title'] };
  const order = [{ path: 'code', descending: false }];
  const wish = { choices: { ...choices, order }, given: {}, current: null, search: text };
  const { choices: page } = await readChoices(held.db, held.db.knex, tables, wish);
  return page.map(({ shown }) => shown.join(' '));
};

beforeAll(async () => {
  const { db } = held;
  const score = table('score', [
    column('code', { unique: true, required: true }),
    column('title'),
    column('composer'),
  ]);
  await makeTable(db, { ...score, display: ['code', 'title'] }, 'test');
  await db.knex.raw(
    `insert into ${tableSql(db, 'score')} (code, title, composer, created_by, updated_by)
     select concat('SC-', lpad(seq, 6, '0')), concat(elt(1 + seq % 5, 'Waltz', 'Elegy', 'Lament', 'Märsche', 'Rain'), ' of ', seq % 977),
       elt(1 + seq % 3, 'Hesper Quist', 'Joran Velden', null), 't', 't'
     from mysql.seq_1_to_${records}`,
  );
  await db.knex.raw(`analyze table ${tableSql(db, 'score')}`);
}, 120_000);

describe('words beside a large table', () => {
  it('are promised when it is published, and looked for in the records until then', async () => {
    const wanted = [{ table: key, index: { kind: 'search' as const, columns: ['code', 'title'] } }];
    expect(await ensureIndexes(held.db, wanted, 'test')).toEqual({ behind: true });
    expect(await ensureIndexes(held.db, wanted, 'test')).toEqual({ behind: false });
    expect((await index()).beside.whole).toBe(false);
    expect(await found('SC-001388')).toEqual(['SC-001388 Märsche of 411']);
    expect(await found('marsche 411')).toContain('SC-001388 Märsche of 411');
  });

  it('are taken in while people save, and none of what they save is missing', async () => {
    const { db } = held;
    let [filling, saves] = [true, 0];
    const filled = keepWords(db, { piece: 2000 }).finally(() => (filling = false));
    const [first] = await wordsStates(db, await house());
    expect(first).toMatchObject({ table: key, columns: ['code', 'title'], checked: null });
    for (let i = 0; filling; i++) {
      const tables = await house();
      const score = await own();
      const at = 1 + ((i * 7919) % (records - 10));
      const [row] = await rows(`select row_version as v from ${tableSql(db, key)} where id = ?`, [
        at,
      ]);
      if (!row) continue;
      const version = Number(row.v);
      if (i % 3 === 0)
        await addRecord(db, tables, score, { code: `NW-${i}`, title: `Newcomer ${i}` }, 'test');
      else if (i % 3 === 1)
        await changeRecord(db, tables, score, at, version, { title: `Changed ${i}` }, 'test');
      else await deleteRecord(db, tables, score, at, version, 'test');
      saves++;
    }
    await filled;
    expect(saves).toBeGreaterThan(20);
    expect(await wrong()).toBe(0);
    expect((await index()).beside.whole).toBe(true);
    expect((await wordsStates(db, await house()))[0]?.share).toBeNull();
  }, 120_000);

  it('find what looking through the records finds', async () => {
    const { db } = held;
    const inside = await own();
    const searched = ['rain 411', 'nEwComer', 'marsche 12', 'SC-0013', 'changed 4', 'q', 'nowhere'];
    for (const text of searched) {
      const parts = text.split(/[ -]/);
      const like = parts.map(
        () => `concat(' ', replace(code, '-', ' '), ' ', title) like concat('% ', ?, '%')`,
      );
      const sql = `select code, title from ${tableSql(db, key)} where ${like.join(' and ')} order by code limit 50`;
      const expected = await rows(sql, parts);
      expect((await found(text)).toSorted(), text).toEqual(
        expected.map((row) => `${row.code} ${row.title}`).toSorted(),
      );
    }
    const page = { filter: [], sort: [], limit: 10, search: 'newcomer' };
    const { records: first } = await readRecords(db, await house(), inside, page);
    expect(first.length).toBeGreaterThan(0);
    expect(first.every(({ values }) => String(values.title).startsWith('Newcomer'))).toBe(true);
  });

  it('follow each save, and whatever else is done to its table', async () => {
    const { db } = held;
    const made = await addRecord(
      db,
      await house(),
      await own(),
      { code: 'FO-1', title: 'Follower' },
      'test',
    );
    expect(await found('follower')).toEqual(['FO-1 Follower']);
    await renameTableColumn(db, key, 'title', 'name', 'test');
    await renameWholeTable(db, key, 'sheet_music', 'test');
    key = 'sheet_music';
    const { version } = await changeRecord(
      ...([db, await house(), await own(), made.id, made.version, { name: 'Leader' }] as const),
      'test',
    );
    const [row] = await rows(`select words from ${await words()} where id = ?`, [made.id]);
    expect(row?.words).toBe('FO-1 Leader');
    await deleteRecord(db, await house(), await own(), made.id, version, 'test');
    expect(await wrong()).toBe(0);
    await renameWholeTable(db, key, 'score', 'test');
    key = 'score';
    await renameTableColumn(db, key, 'name', 'title', 'test');
  });

  it('are mended where other programs have written past us', async () => {
    const { db } = held;
    const of = tableSql(db, key);
    await db.knex.raw(`update ${of} set title = 'Écarté' where id between 20001 and 20050`);
    await db.knex.raw(`delete from ${of} where id between 30001 and 30010`);
    await db.knex.raw(
      `insert into ${of} (code, title, created_by, updated_by) values ('PAST-1', 'Past us', 't', 't')`,
    );
    await db.knex.raw(`delete from ${await words()} where id between 40001 and 40700`);
    const before = await wrong();
    expect(before).toBeGreaterThan(700);
    // Not before it is due.
    await keepWords(db, { checkedEvery: 0 });
    expect(await wrong()).toBe(0);
    const [state] = await wordsStates(db, await house());
    expect(state?.mended).toBe(before);
    expect(state?.checked).toMatch(/^\d{4}-/);
    await db.knex.raw(`update ${of} set title = 'Again' where id = 20001`);
    await keepWords(db);
    expect(await wrong()).toBe(1);
    await keepWords(db, { checkedEvery: 0 });
    expect(await wrong()).toBe(0);
  }, 60_000);

  it('may be gone: saves and searches go on, and they are made anew', async () => {
    const { db } = held;
    await db.knex.raw(`drop table ${await words()}`);
    const made = { code: 'GONE-1', title: 'Rain of nothing' };
    await addRecord(db, await house(), await own(), made, 'test');
    expect(await found('gone nothing')).toEqual(['GONE-1 Rain of nothing']);
    await keepWords(db, { checkedEvery: 0 });
    expect(await wrong()).toBe(0);
    expect((await index()).beside.whole).toBe(true);
  }, 120_000);

  it('go on where they were cut off', async () => {
    const { db } = held;
    const { beside } = await index();
    await markFilling(beside.name);
    await db.knex.raw(`delete from ${await words()} where id > 50000`);
    await db
      .knex('words_beside')
      .withSchema(db.catalog)
      .where({ name: beside.name })
      .update({ upto: 50_000 });
    const [state] = await wordsStates(db, await house());
    expect(state?.share).toBeGreaterThan(0.3);
    expect(state?.share).toBeLessThan(0.5);
    await keepWords(db);
    expect(await wrong()).toBe(0);
    expect((await index()).beside.whole).toBe(true);
  }, 120_000);

  it('lose the words of a column that goes', async () => {
    const { db } = held;
    const wanted = [
      { table: key, index: { kind: 'search' as const, columns: ['title', 'composer'] } },
    ];
    await ensureIndexes(db, wanted, 'test');
    await keepWords(db);
    await removeColumn(db, key, 'composer', 'test');
    const left = indexesBeside(await own()).map(({ columns, beside }) => [columns, beside.whole]);
    expect(left).toEqual([
      [['code', 'title'], true],
      [['title'], false],
    ]);
    // The removal itself has begun to take them in anew.
    const second = await vi.waitFor(async () => {
      await keepWords(db);
      const [, one] = indexesBeside(await own());
      expect(one?.beside.whole).toBe(true);
      return one;
    }, 60_000);
    const at = tableSql(db, wordsName(second?.beside.name ?? ''));
    expect(await rows(`select id from ${at} where words like '%Quist%' limit 1`)).toEqual([]);
  }, 120_000);

  it('are indexed for the page of a table, where somebody asks for it', async () => {
    const { db } = held;
    const before = await wordsFor(db, await house(), await own());
    expect(before).toEqual({ lacking: [], underWay: [] });
    const definition = { ...(await own()), display: ['title', 'code'] };
    expect((await wordsFor(db, await house(), definition)).lacking).toEqual([key]);
    await relabelTable(db, key, { display: ['title', 'code'] }, 'test');
    const told = await indexWords(db, await house(), await own(), 'test');
    expect(told.lacking).toEqual([]);
    expect(told.underWay).toEqual([{ table: key, share: expect.any(Number) }]);
    await vi.waitFor(async () => {
      await keepWords(db);
      expect((await wordsFor(db, await house(), await own())).underWay).toEqual([]);
    }, 60_000);
    expect(await rows(`select 1 from ${await words()} limit 1`)).toHaveLength(1);
  }, 120_000);

  it('go with their table', async () => {
    const { db } = held;
    await removeTable(db, key, 'test');
    const left = () =>
      rows(
        `select table_name from information_schema.tables where table_schema = ? and table_name like 'words~%'`,
        [db.records],
      );
    expect(await left()).toHaveLength(3);
    await keepWords(db);
    expect(await left()).toEqual([]);
    expect(await db.knex('words_beside').withSchema(db.catalog)).toEqual([]);
  });
});

async function markFilling(name: string): Promise<void> {
  const { db } = held;
  const definition = await own();
  const indexes = definition.indexes.map((one) =>
    one.beside ? { ...one, beside: { name, whole: false } } : one,
  );
  await db
    .knex('table_def')
    .withSchema(db.catalog)
    .where({ table_key: key })
    .update({ definition: JSON.stringify({ ...definition, indexes }) });
  await db
    .knex('setting')
    .withSchema(db.catalog)
    .where({ name: 'catalog_revision' })
    .update({ value: db.knex.raw('value + 1') });
}
