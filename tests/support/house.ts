import { Readable } from 'node:stream';
import { afterAll, beforeAll, inject } from 'vitest';
import type { Value } from '../../src/core/values/types';
import { loadTables, makeTable, tableFrom } from '../../src/server/catalog/tables';
import { endDatabase, openDatabase, type Database } from '../../src/server/database/connection';
import { migrate } from '../../src/server/database/migrate';
import { addRecord } from '../../src/server/records/write';
import { column, reference, table } from './definitions';
import { lendingTables, lendingWorld } from './lending';

/** A migrated database with empty schemas, for one test file. */
export function useDatabase(schema: string): { db: Database; url: string } {
  const held = {} as { db: Database; url: string };
  beforeAll(async () => {
    held.url = inject('databaseUrl');
    held.db = openDatabase(held.url, schema);
    await dropSchemas(held.db);
    await migrate(held.db, held.url);
  });
  afterAll(async () => {
    await dropSchemas(held.db);
    await endDatabase(held.db);
  });
  return held;
}

/** Empties the database of a test, as if nothing had been made in it. */
export async function emptyDatabase({ db, url }: { db: Database; url: string }): Promise<void> {
  await dropSchemas(db);
  await migrate(db, url);
}

async function dropSchemas(db: Database): Promise<void> {
  await db.knex.raw('drop database if exists ??', [db.records]);
  await db.knex.raw('drop database if exists ??', [db.catalog]);
}

/** The tables and records of the lending world; gives the id of a record in the database. */
export async function makeLending(db: Database): Promise<(table: string, known: number) => number> {
  const ids = new Map<string, number>();
  const id = (table: string, known: number) => ids.get(`${table} ${known}`) ?? 0;
  for (const table of lendingTables.values()) await makeTable(db, table, 'test');
  const tables = await loadTables(db);
  for (const [key, rows] of Object.entries(lendingWorld())) {
    const table = tableFrom(tables, key);
    for (const row of rows) {
      const values = Object.fromEntries(
        table.columns.map(({ key: column, type }) => {
          const value: Value = row[column] ?? null;
          const refers = type.kind === 'reference' && value !== null;
          return [column, refers ? id(type.table, Number(value)) : value];
        }),
      );
      ids.set(`${key} ${row.id}`, (await addRecord(db, tables, table, values, 'test')).id);
    }
  }
  return id;
}

/** region → town → ensemble, and a table that refers to an ensemble. */
export async function makeBorrowers(db: Database): Promise<void> {
  await makeTable(db, table('region', [column('name', { required: true, unique: true })]), 'test');
  await makeTable(
    db,
    table('town', [column('name', { required: true }), reference('region')]),
    'test',
  );
  await makeTable(
    db,
    table('ensemble', [column('name'), column('code', { unique: true }), reference('town')]),
    'test',
  );
  await makeTable(
    db,
    table('loan', [
      reference('ensemble', 'ensemble', { required: true }),
      column('number', { unique: true }),
      column('lent_on', { type: { kind: 'date' } }),
    ]),
    'test',
  );
}

/** A text as the body of an upload. */
export function upload(text: string | Buffer): Readable {
  return Readable.from([Buffer.from(text)]);
}
