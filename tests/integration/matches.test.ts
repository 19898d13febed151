import { describe, expect, it } from 'vitest';
import type { Column } from '../../src/core/table/definition';
import { loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import { findMatches, matchInHouse } from '../../src/server/records/matches';
import { column, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_matches');

async function fill(key: string, columnKey: string, values: readonly string[]) {
  const marks = values.map(() => "(?, 'test', 'test')").join(', ');
  const sql = `insert into ${tableSql(held.db, key)} (${columnKey}, created_by, updated_by) values ${marks}`;
  await held.db.knex.raw(sql, [...values]);
}

async function matches(key: string, columnKey: string) {
  const tables = await loadTables(held.db);
  const of = tableFrom(tables, key);
  const found = of.columns.find((c) => c.key === columnKey) as Column;
  return findMatches(held.db, tables, of, found);
}

describe('G3 a column whose values are keys of another table is found in the data', () => {
  it('with its evidence, and nothing that the data contradict', async () => {
    const code = column('code', { unique: true });
    await makeTable(held.db, table('score', [code, column('title')]), 'test');
    await makeTable(held.db, table('other', [code]), 'test');
    await makeTable(held.db, table('note', [column('about'), column('place')]), 'test');
    const codes = Array.from({ length: 1000 }, (_, i) => `SC-${i}`);
    await fill('score', 'code', codes);
    await fill('other', 'code', ['SC-1', 'X-2', 'X-3']);
    await fill('note', 'about', [...codes.slice(0, 400), ...codes.slice(0, 50)]);
    expect(await matches('note', 'about')).toEqual([
      { table: 'score', column: 'code', values: 400, matching: 400, exceptions: [] },
    ]);
    expect(await matches('note', 'place')).toEqual([]);
    expect(await matches('score', 'title')).toEqual([]);
  });

  it('a near miss shows what is not there; more than that is no proposal', async () => {
    await fill('note', 'about', ['SC-9999', 'wrong']);
    expect(await matches('note', 'about')).toMatchObject([
      { values: 402, matching: 400, exceptions: ['SC-9999', 'wrong'] },
    ]);
    await fill(
      'note',
      'about',
      Array.from({ length: 50 }, (_, i) => `bad ${i}`),
    );
    expect(await matches('note', 'about')).toEqual([]);
  });

  it('says nothing of numbers, which would match anything', async () => {
    const number = { type: { kind: 'whole' as const } };
    await makeTable(held.db, table('numbered', [column('n', { ...number, unique: true })]), 'test');
    await makeTable(held.db, table('counts', [column('n', number)]), 'test');
    await fill('numbered', 'n', ['1', '2', '3']);
    await fill('counts', 'n', ['1', '2']);
    expect(await matches('counts', 'n')).toEqual([]);
  });

  it('A1 values that are about to come in are looked for in all the house, the best first', async () => {
    await makeTable(
      held.db,
      table('town', [column('name'), column('post', { unique: true })]),
      'test',
    );
    await fill('town', 'name', ['Velden', 'Oakhurst', 'Dungate']);
    const lists = [
      ['velden', ' Oakhurst', 'Saltmere', ''],
      ['1', '2'],
      ['SC-1', 'SC-7'],
      ['none', 'of'],
      [],
    ];
    const found = await matchInHouse(held.db, await loadTables(held.db), lists);
    expect(found.map((list) => list.map((one) => `${one.table}.${one.column}`))).toEqual([
      ['town.name'],
      [],
      ['score.code', 'note.about', 'other.code'],
      [],
      [],
    ]);
    expect(found[0]?.[0]).toMatchObject({ values: 3, matching: 2, missing: ['Saltmere'] });
  });
});
