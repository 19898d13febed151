import { beforeAll, describe, expect, inject, it } from 'vitest';
import { retypeRequest } from '../../src/core/contract/requests';
import { keptColumns, linkTable } from '../../src/core/table/links';
import { plainText } from '../../src/core/values/types';
import { liftOptions, ownOptions } from '../../src/server/catalog/lifted-options';
import {
  changeOptions,
  removeColumn,
  removeTable,
  renameTableColumn,
  renameWholeTable,
} from '../../src/server/catalog/restructure';
import { retypeColumn, unretypeColumn } from '../../src/server/catalog/retype';
import { addTableColumn, loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { endDatabase, openDatabase, type Database } from '../../src/server/database/connection';
import { rowsOf } from '../../src/server/database/rows';
import { finishStructureChanges, removeCutOff } from '../../src/server/database/structure';
import { log } from '../../src/server/log';
import { readRecords } from '../../src/server/records/read';
import { addRecord } from '../../src/server/records/write';
import { column, reference, table } from '../support/definitions';
import { diesAfter } from '../support/dying';
import { useDatabase } from '../support/house';

/** Each change is cut off before every third of its statements, from a random one on; before each with `UNISOR_CUTS=1`. */
const stride = Number(process.env.UNISOR_CUTS ?? 3);

const schema = 't_cut_off';
const held = useDatabase(schema);
const by = 'test';
const links = { kind: 'references', table: 'town', mirrors: null } as const;
const options = ['brass', 'string'].map((value) => ({ value, label: value }));
const retyped = (db: Database, of: string, type: object, more: object = {}) =>
  retypeColumn(db, 'visit', of, retypeRequest.parse({ type, ...more }), by);

beforeAll(async () => {
  // That it was cut off, and is finished, is what is tried here.
  log.level = 'silent';
  const { db } = held;
  await makeTable(db, table('town', [column('name', { unique: true })]), by);
  await makeTable(
    db,
    table('visit', [
      column('title'),
      column('town'),
      column('towns', { type: links }),
      column('cost'),
      column('kind', { type: { kind: 'option', options } }),
    ]),
    by,
  );
  await makeTable(db, table('fest', [column('name'), reference('town')]), by);
  const tables = await loadTables(db);
  const ids: number[] = [];
  for (const name of ['Velden', 'Oakhurst']) {
    ids.push((await addRecord(db, tables, tableFrom(tables, 'town'), { name }, by)).id);
  }
  const given = [
    { title: 'a', town: 'Velden', towns: ids, cost: '1.50', kind: 'brass' },
    { title: 'b', town: 'oakhurst', towns: ids.slice(1), cost: '12', kind: 'string' },
    { title: 'c', town: null, towns: null, cost: null, kind: null },
  ];
  for (const values of given) {
    await addRecord(db, tables, tableFrom(tables, 'visit'), values, by);
  }
});

/** Changes of structure, each with its way back: what they do is done wholly, or not at all. */
const changes: Record<string, [(db: Database) => Promise<unknown>, (db: Database) => unknown]> = {
  'a text becomes a number': [
    (db) => retyped(db, 'cost', { kind: 'decimal', precision: 8, scale: 2 }),
    (db) => unretypeColumn(db, 'visit', 'cost', by),
  ],
  'a text becomes a reference': [
    (db) => retyped(db, 'town', { kind: 'reference', table: 'town' }, { by: 'name' }),
    (db) => unretypeColumn(db, 'visit', 'town', by),
  ],
  'a text becomes several references': [
    (db) => retyped(db, 'town', links, { by: 'name' }),
    (db) => unretypeColumn(db, 'visit', 'town', by),
  ],
  'several references become a text': [
    (db) => retyped(db, 'towns', { kind: 'long_text' }),
    (db) => unretypeColumn(db, 'visit', 'towns', by),
  ],
  'several references become one': [
    (db) => retyped(db, 'towns', { kind: 'reference', table: 'town' }, { empties: true }),
    (db) => unretypeColumn(db, 'visit', 'towns', by),
  ],
  'a column becomes required and unique': [
    (db) => retyped(db, 'title', plainText, { required: true, unique: true }),
    (db) => retyped(db, 'title', plainText),
  ],
  'a column is added and removed': [
    (db) => addTableColumn(db, 'visit', column('note'), by),
    (db) => removeColumn(db, 'visit', 'note', by),
  ],
  'links are added and removed': [
    (db) => addTableColumn(db, 'visit', column('others', { type: links }), by),
    (db) => removeColumn(db, 'visit', 'others', by),
  ],
  'a column is renamed': [
    (db) => renameTableColumn(db, 'visit', 'cost', 'price', by),
    (db) => renameTableColumn(db, 'visit', 'price', 'cost', by),
  ],
  'a column of links is renamed': [
    (db) => renameTableColumn(db, 'visit', 'towns', 'places', by),
    (db) => renameTableColumn(db, 'visit', 'places', 'towns', by),
  ],
  'a table is made and removed': [
    (db) => makeTable(db, table('choir', [column('name'), column('in', { type: links })]), by),
    (db) => removeTable(db, 'choir', by),
  ],
  'a table is renamed': [
    (db) => renameWholeTable(db, 'fest', 'feast', by),
    (db) => renameWholeTable(db, 'feast', 'fest', by),
  ],
  'options are added and taken away': [
    (db) => changeOptions(db, 'visit', 'kind', [...options, { value: 'x', label: 'x' }], by),
    (db) => changeOptions(db, 'visit', 'kind', options, by),
  ],
  'options become a list, and the column’s own': [
    (db) => liftOptions(db, 'visit', 'kind', 'Kinds', by),
    (db) => ownOptions(db, 'visit', 'kind', by),
  ],
};

/** All that is there: definitions and records. */
async function everything(): Promise<string> {
  const { db } = held;
  const tables = await loadTables(db);
  const wish = { filter: [], sort: [{ path: 'id', descending: false }], limit: 100 };
  const all = [];
  for (const one of tables.values()) {
    const { records } = await readRecords(db, tables, one, wish);
    all.push({
      key: one.key,
      columns: one.columns,
      records: records.map(({ id, values }) => ({ id, values })),
    });
  }
  // Lists are never taken away; another one is made each time.
  return JSON.stringify(all).replaceAll(/"list":"[a-z0-9_]*"/g, '"list":"…"');
}

/** What stands in the database is what the definitions say, but for what is kept beside a column. */
async function expectWhole(): Promise<void> {
  const { db } = held;
  const tables = await loadTables(db);
  const found = await rowsOf(
    db.knex,
    `select table_name as t, group_concat(column_name order by column_name) as c from information_schema.columns
     where table_schema = ? and column_name not like '%~%' and table_name not like '%~%' group by table_name`,
    [db.records],
  );
  const house = ['id', 'row_version', 'created_at', 'created_by', 'updated_at', 'updated_by'];
  const meant = [...tables.values()].flatMap((one) => [
    [one.key, [...house, ...keptColumns(one).map(({ key }) => key)].sort().join(',')],
    ...one.columns.flatMap((of) => {
      const made = linkTable(one.key, of);
      return made ? [[made.name, [made.own, made.other].sort().join(',')]] : [];
    }),
  ]);
  expect(Object.fromEntries(found.map(({ t, c }) => [t, c]))).toEqual(Object.fromEntries(meant));
  // Every reference is held by the database.
  const keys = await rowsOf(
    db.knex,
    `select count(*) as n from information_schema.referential_constraints where constraint_schema = ?`,
    [db.records],
  );
  const wanted = [...tables.values()].flatMap(({ columns }) =>
    columns.flatMap(({ type }) =>
      type.kind === 'reference' ? [1] : type.kind === 'references' ? [1, 1] : [],
    ),
  );
  expect(Number(keys[0]?.n)).toBe(wanted.length);
}

/** Does a change that is cut off before each of its statements in turn, and has the next process finish it. */
async function cutOffEverywhere(
  change: (db: Database) => unknown,
  back: (db: Database) => unknown,
): Promise<number> {
  const before = await everything();
  for (let n = Math.floor(Math.random() * stride); ; n += stride) {
    const db = openDatabase(inject('databaseUrl'), schema);
    const process = diesAfter(db, n);
    const done = await Promise.resolve(change(db)).then(
      () => 'done',
      (error: unknown) => error,
    );
    await endDatabase(db).catch(() => undefined);
    if (!process.dead()) {
      expect(done).toBe('done');
      await expectWhole();
      return n;
    }
    // The lease of a process that is gone runs out.
    await held.db.knex('lease').withSchema(schema).update({ held_until: '2026-01-01' });
    await finishStructureChanges(held.db);
    await removeCutOff(held.db);
    await expectWhole();
    if ((await everything()) !== before) {
      await back(held.db);
      expect(await everything()).toBe(before);
      await expectWhole();
    }
  }
}

describe('A9 a change of structure that is cut off before any of its statements', () => {
  it.each(Object.keys(changes))('is whole, or was not begun: %s', async (name) => {
    const [forth, back] = changes[name] ?? [];
    if (!forth || !back) throw new RangeError(name);
    const before = await everything();
    expect(await cutOffEverywhere(forth, back)).toBeGreaterThan(2);
    const after = await everything();
    expect(after).not.toBe(before);
    await cutOffEverywhere(back, forth);
  });
});
