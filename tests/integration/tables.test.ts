import { describe, expect, it } from 'vitest';
import type { ProblemError } from '../../src/core/problems';
import type { Table } from '../../src/core/table/definition';
import {
  addTableColumn,
  ensureIndexes,
  loadTables,
  makeTable,
  relabelTable,
} from '../../src/server/catalog/tables';
import { removeTable } from '../../src/server/catalog/restructure';
import { tableSql } from '../../src/server/database/ddl';
import { migrate } from '../../src/server/database/migrate';
import { readRecords } from '../../src/server/records/read';
import { addRecord, changeRecord, deleteRecord } from '../../src/server/records/write';
import { column, reference, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_tables');

const refused = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('was not refused'),
    (error: ProblemError) => error.problems.map((p) => `${p.path}:${p.code}`),
  );

async function made(definition: Table): Promise<Table> {
  await makeTable(held.db, definition, 'test');
  return definition;
}

async function records(of: Table, wish: object = {}) {
  const tables = await loadTables(held.db);
  return readRecords(held.db, tables, of, { filter: [], sort: [], limit: 50, ...wish });
}

describe('A1 a table is a real table', () => {
  it('has typed columns, a foreign key and the columns of the house', async () => {
    await made(table('shelf', [column('name', { required: true, unique: true })]));
    await made(
      table('book', [
        column('select'),
        reference('shelf'),
        column('price', { type: { kind: 'decimal', precision: 10, scale: 2 } }),
        column('read', { type: { kind: 'yes_no' } }),
        column('at', { type: { kind: 'date_time' } }),
      ]),
    );
    const [rows] = await held.db.knex.raw(`show create table ${tableSql(held.db, 'book')}`);
    const sql = String(rows[0]['Create Table']);
    expect(sql).toContain('`select` varchar(255)');
    expect(sql).toContain('decimal(10,2)');
    expect(sql).toMatch(/FOREIGN KEY \(`shelf`\) REFERENCES `shelf` \(`id`\)/);
    expect(sql).toContain('`row_version` int');
  });

  it('is refused with its problems, and a second of the same key too', async () => {
    expect(await refused(makeTable(held.db, table('bad', [reference('gone')]), 'test'))).toEqual([
      'columns[0]:reference_missing',
    ]);
    expect(await refused(makeTable(held.db, table('shelf', [column('x')]), 'test'))).toEqual([
      'key:table_exists',
    ]);
  });

  it('grows by a column, even a required one while it is empty, and is relabelled', async () => {
    await made(table('grows', [column('name')]));
    await addTableColumn(held.db, 'grows', column('kind', { required: true }), 'test');
    const tables = await loadTables(held.db);
    const grown = tables.get('grows') as Table;
    await addRecord(held.db, tables, grown, { name: 'a', kind: 'b' }, 'test');
    expect(
      await refused(addTableColumn(held.db, 'grows', column('more', { required: true }), 'test')),
    ).toEqual([':column_needs_value']);
    await addTableColumn(held.db, 'grows', reference('shelf'), 'test');
    const changed = await relabelTable(
      held.db,
      'grows',
      { title: 'Grown', display: ['kind'], labels: { kind: 'Sort' } },
      'test',
    );
    expect(changed).toMatchObject({ title: 'Grown', display: ['kind'] });
    expect((await loadTables(held.db)).get('grows')?.columns.map((c) => c.label)).toEqual([
      'name',
      'Sort',
      'shelf',
    ]);
  });

  it('is not removed while another refers to it', async () => {
    expect(await refused(removeTable(held.db, 'shelf', 'test'))).toEqual([':table_in_use']);
    await made(table('lonely', [column('name')]));
    await removeTable(held.db, 'lonely', 'test');
    expect((await loadTables(held.db)).has('lonely')).toBe(false);
  });
});

describe('a crash between any two steps of a structure change loses nothing', () => {
  const intend = (key: string, statement: string, definition: Table | null) =>
    held.db
      .knex('structure_change')
      .withSchema(held.db.catalog)
      .insert({
        table_key: key,
        statement,
        definition: definition && JSON.stringify(definition),
        goal: definition ? 'ready' : 'dropped',
        state: 'intended',
        base_revision: held.db.knex.raw(
          'coalesce((select revision from ??.table_def where table_key = ?), 0)',
          [held.db.catalog, key],
        ),
        by_person: 'test',
      });
  const create = (key: string) =>
    `create table if not exists ${tableSql(held.db, key)} (id bigint unsigned auto_increment primary key, name varchar(255), row_version int default 1, created_at datetime default now(), created_by varchar(100), updated_at datetime default now(), updated_by varchar(100))`;
  const states = async (key: string) =>
    held.db
      .knex('structure_change')
      .withSchema(held.db.catalog)
      .where({ table_key: key })
      .pluck('state');

  it('before the statement: it is run at the next start', async () => {
    await intend('crash_a', create('crash_a'), table('crash_a', [column('name')]));
    await migrate(held.db, held.url);
    const tables = await loadTables(held.db);
    await addRecord(held.db, tables, tables.get('crash_a') as Table, { name: 'x' }, 'test');
    expect(await states('crash_a')).toEqual(['applied']);
  });

  it('after the statement: it is run again without harm, and noted', async () => {
    await held.db.knex.raw(create('crash_b'));
    await held.db.knex.raw(`insert into ${tableSql(held.db, 'crash_b')} (name) values ('kept')`);
    await intend('crash_b', create('crash_b'), table('crash_b', [column('name')]));
    await migrate(held.db, held.url);
    const found = await records((await loadTables(held.db)).get('crash_b') as Table);
    expect(found.records.map((r) => r.values.name)).toEqual(['kept']);
  });

  it('a statement that cannot be run is undone, and its table is not there', async () => {
    await intend('crash_c', 'create table nonsense', table('crash_c', [column('name')]));
    await migrate(held.db, held.url);
    expect(await states('crash_c')).toEqual(['undone']);
    expect((await loadTables(held.db)).has('crash_c')).toBe(false);
  });

  it('a table that was loading is removed', async () => {
    await makeTable(held.db, table('crash_d', [column('name')]), 'test', 'loading');
    expect((await loadTables(held.db)).has('crash_d')).toBe(false);
    await migrate(held.db, held.url);
    await makeTable(held.db, table('crash_d', [column('name')]), 'test');
    expect((await loadTables(held.db)).has('crash_d')).toBe(true);
  });
});

describe('A4 A5 records', () => {
  const setUp = async (suffix: string) => {
    const town = await made(
      table(`town_${suffix}`, [column('name', { required: true, unique: true })]),
    );
    const group = await made(
      table(`group_${suffix}`, [
        column('code', { unique: true }),
        column('size', { type: { kind: 'whole' } }),
        column('fee', { type: { kind: 'decimal', precision: 20, scale: 4 } }),
        reference('town', town.key),
      ]),
    );
    const tables = await loadTables(held.db);
    const add = (of: Table, values: object) =>
      addRecord(held.db, tables, of, values as Record<string, unknown>, 'test');
    return { town, group, tables, add };
  };

  it('are added with exact values and shown by what they refer to', async () => {
    const { town, group, add } = await setUp('a');
    const at = await add(town, { name: 'Velden' });
    await add(group, { code: '=1+1', fee: '1234567890123456.7891', town: at.id });
    const page = await records(group);
    expect(page.records[0]).toMatchObject({
      version: 1,
      values: { code: '=1+1', fee: '1234567890123456.7891', town: at.id, size: null },
      shown: { town: 'Velden' },
    });
  });

  it('are refused with every problem at its column', async () => {
    const { town, group, add } = await setUp('b');
    expect(await refused(add(town, {}))).toEqual(['name:required']);
    expect(await refused(add(group, { size: 'many', fee: 1.5, gone: 1 }))).toEqual([
      'gone:unknown_column',
      'size:not_whole',
      'fee:not_decimal',
    ]);
    expect(await refused(add(group, { town: 999 }))).toEqual(['town:record_gone']);
    await add(group, { code: 'A' });
    expect(await refused(add(group, { code: 'a' }))).toEqual(['code:not_unique']);
  });

  it('typed keys are matched exactly: 0042 is not 42', async () => {
    const { group, add } = await setUp('c');
    await add(group, { code: '0042', size: 42 });
    await add(group, { code: '42' });
    const by = async (path: string, value: unknown) =>
      (
        await records(group, { filter: [{ path, operator: 'equal', values: [value] }] })
      ).records.map((r) => r.values.code);
    expect(await by('code', '42')).toEqual(['42']);
    expect(await by('code', '0042')).toEqual(['0042']);
    expect(await by('size', 42)).toEqual(['0042']);
  });

  it('change only from the version that was seen', async () => {
    const { group, tables, add } = await setUp('d');
    const first = await add(group, { code: 'x', size: 1 });
    const change = (version: number, size: number) =>
      changeRecord(held.db, tables, group, first.id, version, { size }, 'other');
    expect(await change(1, 2)).toMatchObject({ version: 2, values: { code: 'x', size: 2 } });
    expect(await refused(change(1, 3))).toEqual([':changed_meanwhile']);
    const both = await Promise.allSettled([change(2, 10), change(2, 20)]);
    expect(both.map((r) => r.status).sort()).toEqual(['fulfilled', 'rejected']);
  });

  it('are not deleted while in use, and the refusal says by what', async () => {
    const { town, group, tables, add } = await setUp('e');
    const at = await add(town, { name: 'Velden' });
    const user = await add(group, { code: 'u', town: at.id });
    const remove = (of: Table, id: number) => deleteRecord(held.db, tables, of, id, 1, 'test');
    await expect(remove(town, at.id)).rejects.toMatchObject({
      status: 409,
      problems: [{ message: 'This record is in use by 1 record of group_e (town).' }],
    });
    await remove(group, user.id);
    await remove(town, at.id);
    expect(await refused(remove(town, at.id))).toEqual([':unknown_record']);
  });
});

describe('A2 codes number records by themselves', () => {
  it('without gaps or twins under simultaneous adding, behind what was there before', async () => {
    const pattern = 'L-{yyyy}-{0000}';
    const year = new Date().getFullYear();
    const loans = await made(
      table('coded', [
        column('number', { type: { kind: 'code', pattern }, required: true }),
        column('note', { unique: true }),
      ]),
    );
    const tables = await loadTables(held.db);
    const add = (values: object) => addRecord(held.db, tables, loans, { ...values }, 'test');
    await add({ number: `L-${year}-0040`, note: 'brought along' });
    const added = await Promise.all(Array.from({ length: 30 }, (_, i) => add({ note: `n${i}` })));
    const numbers = added.map((row) => row.values.number).sort();
    const wanted = Array.from({ length: 30 }, (_, i) => `L-${year}-00${41 + i}`);
    expect(numbers).toEqual(wanted);
    expect(await refused(add({ note: 'n1' }))).toEqual(['note:not_unique']);
    expect((await add({ note: 'next' })).values.number).toBe(`L-${year}-0071`);
    expect(await refused(add({ number: `L-${year}-0041` }))).toEqual(['number:not_unique']);
  });

  it('a time of day is stored and given back', async () => {
    const slots = await made(table('slot', [column('at', { type: { kind: 'time' } })]));
    const tables = await loadTables(held.db);
    const row = await addRecord(held.db, tables, slots, { at: '14:30:00' }, 'test');
    expect(row.values.at).toBe('14:30:00');
    expect(await refused(addRecord(held.db, tables, slots, { at: '25:00' }, 'test'))).toEqual([
      'at:not_time',
    ]);
  });
});

describe('A6 pages of any table', () => {
  it('come in a total order without gaps or repeats, absent values first', async () => {
    const paged = await made(
      table('paged', [column('name'), column('n', { type: { kind: 'whole' } })]),
    );
    const tables = await loadTables(held.db);
    for (let i = 0; i < 57; i++) {
      const n = i % 7 === 0 ? null : i % 5;
      await addRecord(held.db, tables, paged, { name: `r${i}`, n }, 'test');
    }
    for (const descending of [false, true]) {
      const seen: number[] = [];
      const order: (number | null)[] = [];
      let after: string | undefined;
      do {
        const page = await records(paged, { sort: [{ path: 'n', descending }], limit: 10, after });
        seen.push(...page.records.map((r) => r.id));
        order.push(...page.records.map((r) => r.values.n as number | null));
        expect(page.total).toBe(57);
        after = page.next ?? undefined;
      } while (after);
      expect(new Set(seen).size).toBe(57);
      const rank = order.map((n) => n ?? -1);
      const sorted = [...rank].sort((a, b) => (descending ? b - a : a - b));
      expect(rank).toEqual(sorted);
    }
  });

  it('are filtered by every comparison, through references too', async () => {
    const city = await made(table('city', [column('name')]));
    const hall = await made(
      table('hall', [
        column('name'),
        reference('city'),
        column('seats', { type: { kind: 'whole' } }),
      ]),
    );
    const tables = await loadTables(held.db);
    const a = await addRecord(held.db, tables, city, { name: 'Älvdal 100%' }, 'test');
    const b = await addRecord(held.db, tables, city, { name: 'Bron' }, 'test');
    await addRecord(held.db, tables, hall, { name: 'One', city: a.id, seats: 100 }, 'test');
    await addRecord(held.db, tables, hall, { name: 'Two', city: b.id, seats: 250 }, 'test');
    await addRecord(held.db, tables, hall, { name: 'Three' }, 'test');
    const by = async (path: string, operator: string, ...values: unknown[]) =>
      (await records(hall, { filter: [{ path, operator, values }] })).records.map(
        (r) => r.values.name,
      );
    expect(await by('city.name', 'equal', 'alvdal 100%')).toEqual(['One']);
    expect(await by('city.name', 'contains', '0%')).toEqual(['One']);
    expect(await by('city.name', 'contains', '_')).toEqual([]);
    expect(await by('city', 'not_equal', a.id)).toEqual(['Two', 'Three']);
    expect(await by('city', 'empty')).toEqual(['Three']);
    expect(await by('seats', 'between', 100, 200)).toEqual(['One']);
    expect(await by('seats', 'at_least', 101)).toEqual(['Two']);
    expect(await by('name', 'one_of', 'One', 'Three')).toEqual(['One', 'Three']);
    expect(await by('name', 'begins_with', 't')).toEqual(['Two', 'Three']);
    expect(await refused(by('seats', 'equal', 'many'))).toEqual([':bad_request']);
    expect(await refused(by('password', 'equal', 'x'))).toEqual([':unknown_column']);
  });

  it('make the indexes that are asked for once, and use them', async () => {
    const by = { table: 'hall', index: { kind: 'order' as const, columns: ['city', 'name'] } };
    await ensureIndexes(held.db, [by, by], 'test');
    await ensureIndexes(held.db, [by], 'test');
    expect((await loadTables(held.db)).get('hall')?.indexes).toEqual([by.index]);
  });
});
