import { describe, expect, it } from 'vitest';
import { loadTables, makeTable } from '../../src/server/catalog/tables';
import { tableSql } from '../../src/server/database/ddl';
import { findRecords } from '../../src/server/records/find';
import { column, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_find');

async function fill(key: string, columnKey: string, values: readonly string[]) {
  const marks = values.map(() => "(?, 'test', 'test')").join(', ');
  const sql = `insert into ${tableSql(held.db, key)} (${columnKey}, created_by, updated_by) values ${marks}`;
  await held.db.knex.raw(sql, [...values]);
}

describe('records are found in all tables by what names them', () => {
  it('a few of each table, those first that begin with what was typed', async () => {
    await makeTable(held.db, table('maker', [column('name')]), 'test');
    await makeTable(held.db, table('town', [column('name')]), 'test');
    await fill('maker', 'name', ['The Velden Works', 'Lindqvist']);
    await fill('town', 'name', ['Velden', 'Old Velden', 'New Velden', 'Lower Velden', 'Oostmoor']);
    const found = await findRecords(held.db, await loadTables(held.db), 'velden');
    expect(found[0]).toMatchObject({ table: 'town', shown: 'Velden' });
    expect(found.filter((one) => one.table === 'town')).toHaveLength(3);
    expect(found.map(({ shown }) => shown)).toContain('The Velden Works');
    expect(await findRecords(held.db, await loadTables(held.db), 'nowhere')).toEqual([]);
  });
});
