import { expect } from 'vitest';
import type { Value } from '../../src/core/values/types';
import { loadTables } from '../../src/server/catalog/tables';
import type { Database } from '../../src/server/database/connection';
import { tableSql } from '../../src/server/database/ddl';
import { isChange, type Changes } from '../../src/server/records/journal';
import { fromDatabase } from '../../src/server/records/values';

type Row = Record<string, Value>;

/** What the journal says that a table holds: every insert, change and deletion replayed in order. */
async function replayed(db: Database, table: string): Promise<Map<number, Row>> {
  const rows = (await db
    .knex('journal')
    .withSchema(db.catalog)
    .where({ table_key: table })
    .whereNotNull('action')
    .whereNotNull('record_id')
    .orderBy('id')
    .select('record_id', 'action', 'changes', 'record_version')) as {
    record_id: number;
    action: 'insert' | 'update' | 'delete';
    changes: unknown;
    record_version: number | null;
  }[];
  const held = new Map<number, Row>();
  for (const { record_id, action, changes: stored, record_version } of rows) {
    const id = Number(record_id);
    const changes = (typeof stored === 'string' ? JSON.parse(stored) : stored) as Changes;
    if (action === 'delete') {
      expect(held.delete(id), `${table} ${id} was deleted and not there`).toBe(true);
      continue;
    }
    const before = held.get(id);
    expect(before === undefined, `${table} ${id} ${action}`).toBe(action === 'insert');
    const after: Row = { ...before, version: Number(record_version) };
    for (const [key, change] of Object.entries(changes)) {
      if (isChange(change)) {
        expect(before?.[key] ?? null, `${table} ${id} ${key} before`).toEqual(change.before);
      }
      after[key] = isChange(change) ? change.after : change;
    }
    held.set(id, after);
  }
  return held;
}

/** Sees that tables hold just what the journal says of them, row by row. Gives how many rows there are. */
export async function expectReplayed(db: Database, keys: readonly string[]): Promise<number> {
  const tables = await loadTables(db);
  let count = 0;
  for (const key of keys) {
    const table = tables.get(key) ?? expect.fail(`no table ${key}`);
    const told = await replayed(db, key);
    const [rows] = await db.knex.raw(`select * from ${tableSql(db, key)}`);
    const held = new Map(
      (rows as Record<string, unknown>[]).map((row) => [
        Number(row.id),
        {
          ...Object.fromEntries(
            table.columns.map(({ key: column, type }) => [column, fromDatabase(type, row[column])]),
          ),
          version: Number(row.row_version),
        } as Row,
      ]),
    );
    expect([...held.keys()].sort(), key).toEqual([...told.keys()].sort());
    for (const [id, row] of held) {
      for (const [column, value] of Object.entries(row)) {
        expect(told.get(id)?.[column] ?? null, `${key} ${id} ${column}`).toEqual(value);
      }
    }
    count += held.size;
  }
  return count;
}

/** Sees that the columns of each table are those that its definition says, and that none is half there. */
export async function expectDefinitionsReal(db: Database): Promise<number> {
  const house = ['id', 'row_version', 'created_at', 'created_by', 'updated_at', 'updated_by'];
  const [states] = await db.knex.raw(
    `select table_key as k from ??.table_def where state <> 'ready'`,
    [db.catalog],
  );
  expect(states).toEqual([]);
  const [open] = await db.knex.raw(
    `select table_key as k from ??.structure_change where state = 'intended'`,
    [db.catalog],
  );
  expect(open).toEqual([]);
  const tables = await loadTables(db);
  const [real] = await db.knex.raw(
    'select table_name as t, column_name as c from information_schema.columns where table_schema = ?',
    [db.records],
  );
  const found = new Map<string, string[]>();
  for (const { t, c } of real as { t: string; c: string }[]) {
    if (!house.includes(c)) found.set(t, [...(found.get(t) ?? []), c]);
  }
  expect([...found.keys()].sort()).toEqual([...tables.keys()].sort());
  for (const [key, table] of tables) {
    expect((found.get(key) ?? []).sort(), key).toEqual(table.columns.map((c) => c.key).sort());
  }
  return tables.size;
}
