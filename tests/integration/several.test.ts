import { describe, expect, it } from 'vitest';
import { fieldForColumn } from '../../src/core/plan/draft';
import type { ProblemError } from '../../src/core/problems';
import type { Column, Table } from '../../src/core/table/definition';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { addTableColumn, loadTables, makeTable } from '../../src/server/catalog/tables';
import { removeTable } from '../../src/server/catalog/restructure';
import { tableSql } from '../../src/server/database/ddl';
import { idsOf, type Value } from '../../src/core/values/types';
import { historyOf } from '../../src/server/records/history';
import { readForm } from '../../src/server/records/form-read';
import { readRecord, readRecords } from '../../src/server/records/read';
import type { RecordRow } from '../../src/core/contract/answers';
import { saveEntry } from '../../src/server/records/save';
import { addRecord, changeRecord, deleteRecord } from '../../src/server/records/write';
import { column, planOf, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_several');
const genres: Column = column('genres', {
  type: { kind: 'references', table: 'genre', mirrors: null },
});
const parts: Column = column('parts', {
  type: {
    kind: 'rows',
    columns: [
      { key: 'part', label: 'Part', type: column('x').type as never, required: true },
      { key: 'count', label: 'Count', type: { kind: 'whole' }, required: false },
    ],
  },
});

const refused = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('was not refused'),
    (error: ProblemError) => error.problems,
  );
const of = async (key: string) => (await loadTables(held.db)).get(key) as Table;
const add = async (key: string, values: object) =>
  addRecord(held.db, await loadTables(held.db), await of(key), { ...values }, 'test');
const read = async (key: string, id: number): Promise<RecordRow> =>
  readRecord(held.db, held.db.knex, await loadTables(held.db), await of(key), id);

describe('E6 many records are linked with many, from both sides', () => {
  it('keeps the links in a table with two foreign keys and a unique pair', async () => {
    await makeTable(held.db, table('genre', [column('name', { unique: true })]), 'test');
    await makeTable(held.db, table('ensemble', [column('name'), genres, parts]), 'test');
    const mirror = { kind: 'references', table: 'ensemble', mirrors: 'genres' } as const;
    await addTableColumn(held.db, 'genre', column('ensembles', { type: mirror }), 'test');
    const [rows] = await held.db.knex.raw(
      `show create table ${tableSql(held.db, 'ensemble__genres')}`,
    );
    const sql = String(rows[0]['Create Table']);
    expect(sql).toContain('PRIMARY KEY (`ensemble`,`genre`)');
    expect(sql).toMatch(
      /FOREIGN KEY \(`ensemble`\) REFERENCES `ensemble` \(`id`\) ON DELETE CASCADE/,
    );
    expect(sql).toMatch(
      /FOREIGN KEY \(`genre`\) REFERENCES `genre` \(`id`\)(?! ON DELETE CASCADE)/,
    );
  });

  it('writes, reads, shows and changes them from either side', async () => {
    const ids: number[] = [];
    for (const name of ['Choral', 'Folk', 'March']) ids.push((await add('genre', { name })).id);
    const [choral = 0, folk = 0, march = 0] = ids;
    const band = await add('ensemble', { name: 'Band', genres: [march, folk, march] });
    expect(band.values.genres).toEqual([folk, march]);
    expect(band.shown.genres).toBe('Folk, March');
    const side = await read('genre', folk);
    expect(side.values.ensembles).toEqual([band.id]);
    expect(side.linked).toEqual({ ensembles: ['Band'] });
    const tables = await loadTables(held.db);
    const genre = await of('genre');
    const other = await read('genre', choral);
    const change = { ensembles: [band.id] };
    await changeRecord(held.db, tables, genre, choral, other.version, change, 'test');
    await changeRecord(held.db, tables, genre, folk, side.version, { ensembles: null }, 'test');
    expect((await read('ensemble', band.id)).shown.genres).toBe('Choral, March');
  });

  it('tells in the history of a record how it was linked from the other side', async () => {
    const tables = await loadTables(held.db);
    const linesOf = async (key: string, id: number) => {
      const row = await read(key, id);
      const { steps, shown } = await historyOf(held.db, tables, await of(key), row);
      const said = (value: Value) =>
        idsOf(value).map((linked) => shown[`${key === 'genre' ? 'ensemble' : 'genre'} ${linked}`]);
      return steps.flatMap(({ columns, by }) =>
        columns.map(({ key: column, before, after }) => {
          const [was, is] = [said(before).join(), said(after).join()];
          return column === 'name' ? [] : [by, column, was, is].join('|');
        }),
      );
    };
    const change = async (key: string, id: number, values: Record<string, Value>) => {
      const { version } = await read(key, id);
      await changeRecord(held.db, tables, await of(key), id, version, values, 'test');
    };
    const late = await add('genre', { name: 'Late' });
    const duo = await add('ensemble', { name: 'Duo', genres: [late.id] });
    expect(await linesOf('genre', late.id)).toContain('test|ensembles||Duo');
    await change('genre', late.id, { ensembles: [] });
    expect(await linesOf('ensemble', duo.id)).toContain('test|genres|Late|');
    await change('ensemble', duo.id, { name: 'Duo 2' });
    // What changed nothing of the links says nothing there.
    expect((await linesOf('genre', late.id)).filter((line) => line.length > 0)).toHaveLength(2);
    const gone = await read('ensemble', duo.id);
    await deleteRecord(held.db, tables, await of('ensemble'), duo.id, gone.version, 'test');
  });

  it('filters by a linked record, and by having none', async () => {
    const ensemble = await of('ensemble');
    const tables = await loadTables(held.db);
    await add('ensemble', { name: 'Silent' });
    const named = async (operator: 'contains' | 'empty', values: number[]) => {
      const filter = [{ path: 'genres', operator, values }];
      const wish = { filter, sort: [], limit: 10 };
      const page = await readRecords(held.db, tables, ensemble, wish);
      return page.records.map((record) => record.values.name);
    };
    expect(await named('contains', [3])).toEqual(['Band']);
    expect(await named('contains', [2])).toEqual([]);
    expect(await named('empty', [])).toEqual(['Silent']);
  });

  it('refuses records that are not there, and the removal of one that is linked', async () => {
    const [gone] = await refused(add('ensemble', { name: 'x', genres: [999] }));
    expect(gone).toMatchObject({ path: 'genres', code: 'record_gone' });
    const [bad] = await refused(add('ensemble', { name: 'x', genres: ['1; drop table'] }));
    expect(bad).toMatchObject({ path: 'genres', code: 'not_reference' });
    const tables = await loadTables(held.db);
    const march = await read('genre', 3);
    const [used] = await refused(
      deleteRecord(held.db, tables, await of('genre'), 3, march.version, 'test'),
    );
    expect(used?.message).toContain('1 record of ensemble (genres)');
  });

  it('refuses the other side of links that are not there, and required links', async () => {
    const type = { kind: 'references', table: 'ensemble', mirrors: 'name' } as const;
    const codes = async (more: Partial<Column>) =>
      (await refused(addTableColumn(held.db, 'genre', column('y', more), 'test'))).map(
        (p) => p.code,
      );
    expect(await codes({ type })).toEqual(['mirror_missing']);
    expect(await codes({ type: { ...type, mirrors: null }, required: true })).toEqual([
      'several_plain',
    ]);
  });
});

describe('E9 rows are kept inside the record', () => {
  it('come back as they were written, blank ones left out', async () => {
    const rows = [{ part: 'Violin', count: 8 }, {}, { part: 'Viola', count: null }];
    const made = await add('ensemble', { name: 'Rows', parts: rows });
    expect(made.values.parts).toEqual([rows[0], rows[2]]);
  });

  it.each([
    ['no list', 'not_rows', 'parts: “no list” is not a list of rows.'],
    [[{ count: 2 }], 'bad_row', 'parts, row 1: Part is missing.'],
    [
      [{ part: 'a' }, { part: 'b', count: 1.5 }],
      'bad_row',
      'parts, row 2: “1.5” is not a whole number.',
    ],
    [[{ part: 'a', other: 1 }], 'bad_row', 'parts, row 1: parts has no column “other”.'],
  ])('refuse %j', async (given, code, message) => {
    const [found] = await refused(add('ensemble', { name: 'x', parts: given }));
    expect(found).toMatchObject({ path: 'parts', code, message });
  });
});

describe('B6 a form chooses several records', () => {
  const form = async () => {
    const tables = await loadTables(held.db);
    const fields = (await of('ensemble')).columns.map((c) => fieldForColumn(c, tables));
    const plan = planOf('ensemble', fields);
    return { tables, plan };
  };

  it('confirms each that is chosen, and saves them with the record', async () => {
    const { tables, plan } = await form();
    const ask = { id: 'a', kind: 'list' as const, field: 'genres' };
    const [answer] = await readForm(held.db, tables, plan, {
      values: { genres: [1, 3, 999] },
      asks: [ask],
    });
    expect(answer).toMatchObject({ chosen: [{ value: 1 }, { value: 3 }], others: [] });
    const made = await makeForm(held.db, { key: 'ensemble', table: 'ensemble', plan }, 'test');
    await publishForm(held.db, 'ensemble', made.revision, 'test');
    const values = { name: 'Saved', genres: [1, 3], parts: [{ part: 'Horn', count: 4 }] };
    const request = { submission: 'several-0001', edition: 1, values };
    const receipt = await saveEntry(held.db, 'ensemble', request, 'test');
    const saved = await read('ensemble', receipt.records[0]?.id ?? 0);
    expect(saved.values).toEqual(values);
    const bad = { submission: 'several-0002', edition: 1, values: { ...values, genres: [1, 999] } };
    const [problem] = await refused(saveEntry(held.db, 'ensemble', bad, 'test'));
    expect(problem?.path).toBe('genres');
  });

  it('lets a table go together with its links, once nothing else uses it', async () => {
    await makeTable(held.db, table('club', [column('name'), genres]), 'test');
    await removeTable(held.db, 'club', 'test');
    const [rows] = await held.db.knex.raw('show tables from ?? like ?', [held.db.records, 'club%']);
    expect(rows).toEqual([]);
  });
});
