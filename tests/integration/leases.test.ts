import { describe, expect, it } from 'vitest';
import { PassThrough } from 'node:stream';
import { ProblemError } from '../../src/core/problems';
import { namedViewSchema } from '../../src/core/table/view';
import {
  addTableColumn,
  loadTables,
  makeTable,
  relabelTable,
} from '../../src/server/catalog/tables';
import { renameTableColumn } from '../../src/server/catalog/restructure';
import { openDatabase, endDatabase } from '../../src/server/database/connection';
import { takeLease, underLease } from '../../src/server/database/lease';
import { migrate } from '../../src/server/database/migrate';
import { removeCutOff } from '../../src/server/database/structure';
import { inTransaction } from '../../src/server/database/transaction';
import { importSchema, openImport, runImport } from '../../src/server/records/import';
import { addRecord } from '../../src/server/records/write';
import { column, table } from '../support/definitions';
import { upload, useDatabase } from '../support/house';

const held = useDatabase('t_leases');

const codeOf = (work: Promise<unknown>) =>
  work.then(
    () => 'done',
    (error: unknown) =>
      error instanceof ProblemError ? (error.problems[0]?.code ?? '') : String(error),
  );

/** The lease runs out as if its owner had died. */
async function runOut(name: string) {
  await held.db
    .knex('lease')
    .withSchema(held.db.catalog)
    .where({ name })
    .update({ held_until: '2001-01-01' });
}

/** The columns of a table that the designer made, as the database has them. */
async function realColumns(key: string): Promise<string[]> {
  const [rows] = await held.db.knex.raw(
    'select column_name as name from information_schema.columns where table_schema = ? and table_name = ? order by ordinal_position',
    [held.db.records, key],
  );
  const house = ['id', 'row_version', 'created_at', 'created_by', 'updated_at', 'updated_by'];
  return (rows as { name: string }[]).map(({ name }) => name).filter((n) => !house.includes(n));
}

const definition = (key: string) =>
  importSchema.parse({
    target: { kind: 'new', key, title: key, display: ['name'] },
    columns: [
      { ...column('name'), source: 0, match: null, reading: { decimal: '.', dates: 'ymd' } },
    ],
    delimiter: ',',
    cells: 1,
  });

const viewOf = (key: string) => namedViewSchema.parse({ key, title: key });

describe('a lease', () => {
  it('is held by one, and taken over when it has run out', async () => {
    const first = await takeLease(held.db, 'work');
    expect(first?.fence).toBe(1);
    expect(await takeLease(held.db, 'work')).toBeNull();
    expect(await codeOf(underLease(held.db, 'work', 300, async () => 1))).toBe('lease_held');
    await runOut('work');
    const second = await takeLease(held.db, 'work');
    expect(second?.fence).toBe(2);
    // Who was only slow finishes nothing any more.
    expect(await codeOf(inTransaction(held.db, async (trx) => first?.hold(trx)))).toBe(
      'lease_lost',
    );
    expect(await codeOf(inTransaction(held.db, async (trx) => second?.hold(trx)))).toBe('done');
    await first?.end();
    expect(await takeLease(held.db, 'work')).toBeNull();
    await second?.end();
    const third = await takeLease(held.db, 'work');
    expect(third?.fence).toBe(3);
    await third?.end();
  });

  it('goes to one of many who ask at once', async () => {
    const leases = await Promise.all(Array.from({ length: 10 }, () => takeLease(held.db, 'rush')));
    const got = leases.filter((lease) => lease !== null);
    expect(got).toHaveLength(1);
    await got[0]?.end();
  });

  it('says to whoever comes second what is being done, in words', async () => {
    const names = ['structure', 'import score', 'outbox repairs', 'migrations', 'through 0001'];
    const said = names.map(async (name) => {
      const lease = await takeLease(held.db, name);
      const refused = await underLease(held.db, name, 0, async () => null).catch(String);
      await lease?.end();
      return refused;
    });
    expect(await Promise.all(said)).toEqual(
      [
        'changing a table',
        'importing rows into score',
        'sending to repairs',
        'updating Unisor',
        'saving the same form',
      ].map((work) => expect.stringContaining(`Someone else is ${work} at the moment.`)),
    );
  });
});

describe('A1 structure changes at once', () => {
  it('lose none of one another', async () => {
    await makeTable(held.db, table('busy', [column('name'), column('more')]), 'test');
    const keys = Array.from({ length: 8 }, (_, i) => `c${i}`);
    await Promise.all([
      ...keys.map((key) => addTableColumn(held.db, 'busy', column(key), 'test')),
      relabelTable(held.db, 'busy', { title: 'Busy indeed' }, 'a'),
      relabelTable(held.db, 'busy', { labels: { more: 'And more' } }, 'b'),
      renameTableColumn(held.db, 'busy', 'name', 'called', 'c'),
      ...['one', 'two'].map((key) =>
        relabelTable(held.db, 'busy', { views: { keeps: [viewOf(key)] } }, key),
      ),
    ]);
    const after = (await loadTables(held.db)).get('busy');
    expect(after?.title).toBe('Busy indeed');
    expect(after?.views?.map(({ key }) => key).sort()).toEqual(['one', 'two']);
    expect(after?.columns.find(({ key }) => key === 'more')?.label).toBe('And more');
    const defined = after?.columns.map(({ key }) => key).sort();
    expect(defined).toEqual([...keys, 'called', 'more'].sort());
    expect((await realColumns('busy')).sort()).toEqual(defined);
  });

  it('are finished by whoever comes next, before anything newer', async () => {
    await makeTable(held.db, table('left', [column('name')]), 'test');
    const tables = await loadTables(held.db);
    const before = tables.get('left') ?? expect.fail();
    await held.db
      .knex('structure_change')
      .withSchema(held.db.catalog)
      .insert({
        table_key: 'left',
        statement: `alter table \`${held.db.records}\`.\`left\` add column if not exists \`left_open\` varchar(9) null after \`name\``,
        definition: JSON.stringify({
          ...before,
          columns: [...before.columns, column('left_open')],
        }),
        goal: 'ready',
        state: 'intended',
        base_revision: 1,
        by_person: 'dead',
      });
    await addTableColumn(held.db, 'left', column('newer'), 'test');
    const keys = (await loadTables(held.db)).get('left')?.columns.map(({ key }) => key);
    expect(keys).toEqual(['name', 'left_open', 'newer']);
    expect(await realColumns('left')).toEqual(['name', 'left_open', 'newer']);
  });
});

describe('A1 imports at once', () => {
  it('of one table: one is taken, the other told, and what was acknowledged stays', async () => {
    const body = new PassThrough();
    const first = await openImport(held.db, definition('rush'), 'a');
    const second = await openImport(held.db, definition('rush'), 'b');
    const running = runImport(held.db, first, body, 'a');
    body.write('name\nAda\n');
    // While the first one loads, the second and a start of another process come.
    await expect.poll(async () => (await states('rush'))[0]).toBe('loading');
    expect(await codeOf(runImport(held.db, second, upload('name\nBe\n'), 'b'))).toBe('lease_held');
    expect(await codeOf(makeTable(held.db, table('rush', [column('x')]), 'c'))).toBe(
      'table_exists',
    );
    const other = openDatabase(held.url, 't_leases');
    await migrate(other, held.url);
    await endDatabase(other);
    body.end('Brann\n');
    expect((await running).written).toBe(2);
    expect(await states('rush')).toEqual(['ready']);
    expect(await codeOf(runImport(held.db, second, upload('name\nBe\n'), 'b'))).toBe(
      'table_exists',
    );
    const [[{ n }]] = await held.db.knex.raw('select count(*) as n from ??.rush', [
      held.db.records,
    ]);
    expect(Number(n)).toBe(2);
  });

  it('that were cut off leave nothing: the name can be used again', async () => {
    for (const way of ['start', 'table', 'import'] as const) {
      const key = `cut_${way}`;
      const body = new PassThrough();
      const id = await openImport(held.db, definition(key), 'a');
      const running = runImport(held.db, id, body, 'a').catch(() => 'ended');
      body.write('name\nAda\n');
      await expect.poll(async () => (await states(key))[0]).toBe('loading');
      // Its process dies: what it holds runs out, and it never ends by itself.
      await runOut(`import ${key}`);
      if (way === 'start') await removeCutOff(held.db);
      if (way === 'table') await makeTable(held.db, table(key, [column('name')]), 'b');
      if (way === 'import') {
        const again = await openImport(held.db, definition(key), 'b');
        expect((await runImport(held.db, again, upload('name\nBe\n'), 'b')).written).toBe(1);
      }
      expect(await states(key)).toEqual(way === 'start' ? [] : ['ready']);
      body.end();
      expect(await running).toBe('ended');
      expect(await states(key)).toEqual(way === 'start' ? [] : ['ready']);
    }
  });

  it('thirty small ones keep nobody from reading and writing', async () => {
    await makeTable(held.db, table('many', [column('name')]), 'test');
    const tables = await loadTables(held.db);
    const many = tables.get('many') ?? expect.fail();
    const wish = { ...definition('many'), target: { kind: 'existing' as const, table: 'many' } };
    const imports = Array.from({ length: 30 }, async () => {
      const id = await openImport(held.db, wish, 'a');
      return runImport(held.db, id, upload('name\nx\n'), 'a');
    });
    const saves = Array.from({ length: 12 }, () =>
      addRecord(held.db, tables, many, { name: 'y' }, 'b'),
    );
    const outcomes = await Promise.allSettled([...imports, ...saves]);
    expect(outcomes.filter(({ status }) => status === 'rejected')).toEqual([]);
  });
});

describe('the first start', () => {
  it('goes on where it was killed, at whatever statement', async () => {
    const shape = async (schema: string) => {
      const [rows] = await held.db.knex.raw(
        `select concat_ws(' ', table_name, column_name, column_type, is_nullable, column_default) as what from information_schema.columns where table_schema = ?
         union all select concat_ws(' ', table_name, index_name, non_unique, column_name, seq_in_index) from information_schema.statistics where table_schema = ?
         union all select concat_ws(' ', table_name, constraint_name, constraint_type) from information_schema.table_constraints where table_schema = ? order by 1`,
        [schema, schema, schema],
      );
      return (rows as { what: string }[]).map(({ what }) => what);
    };
    const whole = await shape(held.db.catalog);
    const db = openDatabase(held.url, 't_leases_killed');
    const drop = async () => {
      await db.knex.raw('drop database if exists ??', [db.catalog]);
      await db.knex.raw('drop database if exists ??', [db.records]);
    };
    try {
      for (const gone of [
        'form',
        'structure_change',
        'journal',
        'entry_draft',
        'outbox',
        'lease',
      ]) {
        await drop();
        await migrate(db, held.url);
        // As if it had been killed in the middle: half is there, nothing is noted, the lock is set.
        await db.knex.raw('set foreign_key_checks = 0');
        await db.knex.raw('drop table if exists ??.??', [
          db.catalog,
          gone === 'form' ? 'edition' : gone,
        ]);
        if (gone === 'form') await db.knex.raw('drop table ??.form', [db.catalog]);
        await db.knex.raw('delete from ??.knex_migrations', [db.catalog]);
        await db.knex.raw('update ??.knex_migrations_lock set is_locked = 1', [db.catalog]);
        await migrate(db, held.url);
        expect(await shape(db.catalog), gone).toEqual(whole);
      }
    } finally {
      await drop();
      await endDatabase(db);
    }
  }, 60_000);
});

const states = (key: string): Promise<string[]> =>
  held.db.knex('table_def').withSchema(held.db.catalog).where({ table_key: key }).pluck('state');
