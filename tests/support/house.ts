import { Readable } from 'node:stream';
import { afterAll, beforeAll, inject } from 'vitest';
import { makeTable } from '../../src/server/catalog/tables';
import { openDatabase, type Database } from '../../src/server/database/connection';
import { migrate } from '../../src/server/database/migrate';
import { column, reference, table } from './definitions';

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
    await held.db.knex.destroy();
  });
  return held;
}

async function dropSchemas(db: Database): Promise<void> {
  await db.knex.raw('drop database if exists ??', [db.records]);
  await db.knex.raw('drop database if exists ??', [db.catalog]);
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
