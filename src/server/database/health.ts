import type { Database } from './connection';

/** A row is written so often at most, to see that it can be. Milliseconds. */
const writeEvery = 10_000;
let written = 0;

/**
 * Reads a row, and writes one now and then: a node of a cluster that has lost the others still answers what
 * asks nothing of its tables. Fails as any read or write would.
 */
export async function feelPulse(db: Database): Promise<void> {
  const settings = () => db.knex('setting').withSchema(db.catalog);
  await settings().where({ name: 'catalog_revision' }).first('value');
  if (Date.now() - written < writeEvery) return;
  await settings()
    .insert({ name: 'pulse', value: new Date().toISOString() })
    .onConflict('name')
    .merge();
  written = Date.now();
}
