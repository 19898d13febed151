import type { Knex } from 'knex';
import { tableSchema, type Table } from '$lib/core/table/definition';
import { problem, ProblemError } from '$lib/core/problems';
import { log } from '../log';
import type { Database, Runner } from './connection';
import { dropTable, type Statement } from './ddl';
import { databaseWords, isAway } from './errors';
import { carryRenaming, renamingSchema, type Renaming } from './renaming';

/** A change of a table's structure: at most one DDL statement, and the definition after it. */
export interface StructureChange {
  table: string;
  /** `null` where only the catalog changes (labels, display columns). */
  statement: Statement | null;
  /** The definition once applied; `null` drops the table. */
  after: Table | null;
  goal?: 'loading' | 'ready';
  /** Another key for the table or a column: carried through all definitions and plans, `after` unused. */
  renaming?: Renaming;
  by: string;
}

/**
 * Changes a structure so that a crash between any two steps loses nothing: noted as intended, run,
 * noted as applied. What is left as intended is finished, or undone, at the next start.
 */
export async function changeStructure(db: Database, change: StructureChange): Promise<void> {
  const [id] = await db
    .knex('structure_change')
    .withSchema(db.catalog)
    .insert({
      table_key: change.table,
      statement: change.statement,
      definition: change.after ? JSON.stringify(change.after) : null,
      renaming: change.renaming ? JSON.stringify(change.renaming) : null,
      goal: change.after ? (change.goal ?? 'ready') : 'dropped',
      state: 'intended',
      by_person: change.by,
    });
  const error = await applyChange(db, Number(id));
  if (error) throw new ProblemError(problem('structure_failed', { reason: error }));
}

/** Finishes every change that was intended but not applied, and removes half-loaded tables. */
export async function finishStructureChanges(db: Database): Promise<void> {
  const open = await db
    .knex('structure_change')
    .withSchema(db.catalog)
    .where({ state: 'intended' })
    .orderBy('id')
    .select('id', 'table_key');
  for (const { id, table_key } of open as { id: number; table_key: string }[]) {
    const error = await applyChange(db, id);
    log.warn(
      { change: id, table: table_key, error },
      error ? 'structure undone' : 'structure finished',
    );
  }
  const loading = await db
    .knex('table_def')
    .withSchema(db.catalog)
    .where({ state: 'loading' })
    .select('table_key');
  for (const { table_key } of loading as { table_key: string }[]) {
    const [[{ free }]] = await db.knex.raw('select is_free_lock(?) as free', [
      loadLock(db, table_key),
    ]);
    if (free !== 1) continue;
    log.warn({ table: table_key }, 'an import was cut off; its table is removed');
    const statement = dropTable(db, table_key);
    await changeStructure(db, { table: table_key, statement, after: null, by: 'start' });
  }
}

/** The name of the lock that an import holds while its table is loading. */
export function loadLock(db: Database, table: string): string {
  return `${db.catalog}.load.${table}`.slice(0, 64);
}

/** Tells every process that the catalog has changed. */
export async function bumpCatalog(db: Database, runner: Runner): Promise<void> {
  await runner('setting')
    .withSchema(db.catalog)
    .where({ name: 'catalog_revision' })
    .update({ value: db.knex.raw('value + 1') });
}

interface ChangeRow {
  table_key: string;
  statement: string | null;
  definition: unknown;
  renaming: unknown;
  goal: 'loading' | 'ready' | 'dropped';
  state: string;
}

/** Runs an intended change; gives the reason where the database refuses it, and marks it undone. */
async function applyChange(db: Database, id: number): Promise<string | null> {
  const changes = () => db.knex('structure_change').withSchema(db.catalog).where({ id });
  const row = (await changes().first()) as ChangeRow | undefined;
  if (!row || row.state !== 'intended') return null;
  try {
    if (row.statement !== null) {
      const unbound = row.statement.replaceAll('?', '\\?');
      await db.knex.raw(`set statement max_statement_time = 0 for ${unbound}`);
    }
  } catch (error) {
    if (isAway(error)) throw error;
    const reason = databaseWords(error);
    await changes().update({ state: 'undone', reason });
    return reason;
  }
  await db.knex.transaction(async (trx) => {
    if (row.renaming) await carryRenaming(db, trx, renamingSchema.parse(parseJson(row.renaming)));
    else await noteDefinition(db, trx, row);
    await trx('structure_change').withSchema(db.catalog).where({ id }).update({ state: 'applied' });
    await bumpCatalog(db, trx);
  });
  return null;
}

async function noteDefinition(db: Database, trx: Knex.Transaction, row: ChangeRow): Promise<void> {
  const tables = () => trx('table_def').withSchema(db.catalog);
  if (row.goal === 'dropped') {
    await tables().where({ table_key: row.table_key }).delete();
    return;
  }
  const definition = JSON.stringify(tableSchema.parse(parseJson(row.definition)));
  await tables()
    .insert({ table_key: row.table_key, definition, state: row.goal })
    .onConflict('table_key')
    .merge({ definition, state: row.goal, updated_at: trx.fn.now() });
}

/** JSON columns come as text or parsed, as the driver sees fit. */
export function parseJson(stored: unknown): unknown {
  return typeof stored === 'string' ? JSON.parse(stored) : stored;
}
