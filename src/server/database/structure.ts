import { AsyncLocalStorage } from 'node:async_hooks';
import type { Knex } from 'knex';
import { z } from 'zod';
import { columnSchema, tableSchema, type Column, type Table } from '$lib/core/table/definition';
import { keptColumns, linksName } from '$lib/core/table/links';
import { problem, ProblemError } from '$lib/core/problems';
import { log } from '../log';
import type { Database, Runner } from './connection';
import { dropTable, dropWholeTable, tableSql, type Statement } from './ddl';
import { databaseWords, isAway, isTooWide } from './errors';
import { takeLease, underLease, type Lease } from './lease';
import { parseJson } from './json';
import { carryRenaming, renamingSchema, type Renaming } from './renaming';
import { inTransaction } from './transaction';

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
  /**
   * Runs the statement, with what must be done right before it. Such a change is never run again: one that was cut
   * off has had its effect where `doneWhen`, a SELECT, gives a row; otherwise it is as if it had not been begun.
   */
  once?: () => Promise<void>;
  doneWhen?: Statement;
  /** What a column was, whose values are kept beside it from now on, and the newest row of the journal by then. */
  before?: { column: Column; journal: number };
  by: string;
}

/** A change of structure waits so long for another one to end. Milliseconds. */
const mostWait = 60_000;
const held = new AsyncLocalStorage<Lease>();

/**
 * Works on structures alone, among all processes: what is read of the catalog inside stands until the work
 * has ended, so that nobody changes a definition that another has changed meanwhile. What an owner who died
 * has left intended is finished first, before anything newer. Work inside of work is part of it.
 */
export async function structuring<T>(db: Database, work: () => Promise<T>): Promise<T> {
  if (held.getStore()) return work();
  return underLease(db, 'structure', mostWait, async (lease) => {
    await finishLeft(db, lease);
    return held.run(lease, work);
  });
}

/**
 * Changes a structure so that a crash between any two steps loses nothing: noted as intended, run,
 * noted as applied. Called while structuring only, with a definition that was read there.
 */
export async function changeStructure(db: Database, change: StructureChange): Promise<void> {
  const lease = held.getStore();
  if (!lease)
    throw new Error(`the structure of ${change.table} is changed without the lease for it`);
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
      base_revision: await revisionOf(db, db.knex, change.table),
      by_person: change.by,
      done_when: change.doneWhen ?? null,
      column_before: change.before ? JSON.stringify(change.before) : null,
    });
  let error: string | null;
  try {
    error = await applyChange(db, lease, Number(id), change.once);
  } catch (failure) {
    // The database was away, or somebody else has taken over: it is finished by whoever comes next.
    log.warn({ change: Number(id), err: failure }, 'a structure change was left to be finished');
    throw failure;
  }
  if (error) throw new ProblemError(problem('structure_failed', { reason: error }));
}

/** Finishes every change that was intended and not applied. */
export async function finishStructureChanges(db: Database): Promise<void> {
  await structuring(db, async () => {
    await dropStaleLinks(db);
    await dropStaleMaps(db);
  });
}

async function finishLeft(db: Database, lease: Lease): Promise<void> {
  const open = await db
    .knex('structure_change')
    .withSchema(db.catalog)
    .where({ state: 'intended' })
    .orderBy('id')
    .select('id', 'table_key');
  for (const { id, table_key } of open as { id: number; table_key: string }[]) {
    const error = await applyChange(db, lease, id);
    log.warn(
      { change: id, table: table_key, error },
      error ? 'structure undone' : 'structure finished',
    );
  }
}

/** Removes the tables of imports that were cut off; those that are still loading are left alone. */
export async function removeCutOff(db: Database): Promise<void> {
  const loading = await db
    .knex('table_def')
    .withSchema(db.catalog)
    .where({ state: 'loading' })
    .select('table_key');
  for (const { table_key } of loading as { table_key: string }[]) {
    const lease = await takeLease(db, importLease(table_key));
    if (!lease) continue;
    try {
      await dropLoading(db, table_key, 'start');
    } finally {
      await lease.end();
    }
  }
}

/** Drops a table that was not made, or loaded, to the end; one that is ready stays. Called by whoever holds its lease. */
export async function dropLoading(db: Database, key: string, by: string): Promise<void> {
  await structuring(db, async () => {
    const loading = await db
      .knex('table_def')
      .withSchema(db.catalog)
      .where({ table_key: key, state: 'loading' })
      .first('definition');
    if (!loading) return;
    log.warn({ table: key }, 'a table was not made to the end; it is removed');
    const statement = dropWholeTable(db, tableSchema.parse(parseJson(loading.definition)));
    await changeStructure(db, { table: key, statement, after: null, by });
  });
}

/** What the values of a column become is listed in a table of this name while its type is changed. */
export function mapName(table: string): string {
  return `${table.slice(0, 40)}~map`;
}

/** Drops what changes of type have listed that were cut off. Called while structuring. */
async function dropStaleMaps(db: Database): Promise<void> {
  const there = await db
    .knex('information_schema.tables')
    .where({ table_schema: db.records })
    .where('table_name', 'like', mapName('%'))
    .select('table_name as name');
  for (const { name } of there as { name: string }[]) await db.knex.raw(dropTable(db, name));
}

/**
 * Drops the links of columns that hold something else by now, or not links yet: a change of type makes them before its
 * last step and drops them after it. Called while structuring.
 */
export async function dropStaleLinks(db: Database): Promise<void> {
  const known = await db.knex('table_def').withSchema(db.catalog).select('definition');
  const tables = known.map(({ definition }) => tableSchema.parse(parseJson(definition)));
  // A table may be called as links would be.
  const own = new Set(tables.map(({ key }) => key));
  const stale = tables
    .flatMap((table) => keptColumns(table).map(({ key }) => linksName(table.key, key)))
    .filter((name) => !own.has(name));
  const there = await db
    .knex('information_schema.tables')
    .where({ table_schema: db.records })
    .whereIn('table_name', stale)
    .select('table_name as name');
  for (const { name } of there as { name: string }[]) await db.knex.raw(dropTable(db, name));
}

/** The name of the lease that an import holds while its table is loading. */
export function importLease(table: string): string {
  return `import ${table}`;
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
  base_revision: number;
  done_when: string | null;
  column_before: unknown;
}

/** Runs an intended change; gives the reason where the database refuses it, and marks it undone. */
async function applyChange(
  db: Database,
  lease: Lease,
  id: number,
  once?: () => Promise<void>,
): Promise<string | null> {
  const changes = (runner: Runner = db.knex) =>
    runner('structure_change').withSchema(db.catalog).where({ id });
  const row = (await changes().first()) as ChangeRow | undefined;
  if (!row || row.state !== 'intended') return null;
  try {
    if (once) await once();
    else if (row.done_when !== null) {
      const [done] = await db.knex.raw<[object[], unknown]>(row.done_when);
      if (done.length === 0) {
        await changes().update({ state: 'undone', reason: 'cut off' });
        return 'cut off';
      }
    } else if (row.statement !== null) {
      await runStatement(db, row);
    }
  } catch (error) {
    if (isAway(error)) throw error;
    const reason = databaseWords(error);
    await changes().update({ state: 'undone', reason });
    return reason;
  }
  return inTransaction(db, async (trx) => {
    await lease.hold(trx);
    const now = (await changes(trx).forUpdate().first()) as ChangeRow | undefined;
    if (now?.state !== 'intended') return null;
    if ((await revisionOf(db, trx, row.table_key)) !== Number(row.base_revision)) {
      const reason = 'something newer stands';
      await changes(trx).update({ state: 'undone', reason });
      return reason;
    }
    if (row.renaming) await carryRenaming(db, trx, renamingSchema.parse(parseJson(row.renaming)));
    else await noteDefinition(db, trx, row);
    await changes(trx).update({ state: 'applied' });
    await bumpCatalog(db, trx);
    return null;
  });
}

/**
 * Runs the statement of a change. The database counts what was added and dropped in place towards the longest row
 * until the table is made anew: that is done where it has no room for one more column.
 */
async function runStatement(db: Database, row: ChangeRow): Promise<void> {
  // Tables that come in together may refer to one another in a circle.
  const checks = (await isLoading(db, row)) ? ', foreign_key_checks = 0' : '';
  const run = (statement: string) => {
    const unbound = statement.replaceAll('?', '\\?');
    return db.knex.raw(`set statement max_statement_time = 0${checks} for ${unbound}`);
  };
  const statement = row.statement ?? '';
  try {
    await run(statement);
  } catch (error) {
    if (!isTooWide(error) || !/^alter table/i.test(statement)) throw error;
    await run(`alter table ${tableSql(db, row.table_key)} force`);
    await run(statement);
  }
}

/** Whether a change makes, or takes away, a table that nobody sees yet. */
async function isLoading(db: Database, { goal, table_key }: ChangeRow): Promise<boolean> {
  if (goal !== 'dropped') return goal === 'loading';
  const row = await db
    .knex('table_def')
    .withSchema(db.catalog)
    .where({ table_key, state: 'loading' })
    .first('id');
  return row !== undefined;
}

/** The revision of a table's definition; 0 where there is none. */
async function revisionOf(db: Database, runner: Runner, table: string): Promise<number> {
  const row = await runner('table_def')
    .withSchema(db.catalog)
    .where({ table_key: table })
    .first('revision');
  return Number(row?.revision ?? 0);
}

const beforeSchema = z.strictObject({ column: columnSchema, journal: z.number() });

async function noteDefinition(db: Database, trx: Knex.Transaction, row: ChangeRow): Promise<void> {
  const tables = () => trx('table_def').withSchema(db.catalog);
  const { table_key } = row;
  const uses = trx('file_use').withSchema(db.catalog).where({ table_key });
  const befores = trx('column_before').withSchema(db.catalog);
  if (row.goal === 'dropped') {
    await tables().where({ table_key }).delete();
    await uses.delete();
    await befores.where({ table_key }).delete();
    return;
  }
  const table = tableSchema.parse(parseJson(row.definition));
  const columns = table.columns.map(({ key }) => key);
  // Files of a column that is gone are swept; there is no way back to what it was.
  await uses.whereNotIn('column_key', ['', ...columns]).delete();
  await befores.clone().where({ table_key }).whereNotIn('column_key', columns).delete();
  if (row.column_before !== null) {
    const { column, journal } = beforeSchema.parse(parseJson(row.column_before));
    await befores
      .clone()
      .insert({
        ...{ table_key, column_key: column.key, definition: JSON.stringify(column) },
        journal_id: journal,
      })
      .onConflict(['table_key', 'column_key'])
      .merge();
  }
  const definition = JSON.stringify(table);
  await tables()
    .insert({ table_key: row.table_key, definition, state: row.goal })
    .onConflict('table_key')
    .merge({
      definition,
      state: row.goal,
      revision: trx.raw('revision + 1'),
      updated_at: trx.fn.now(),
    });
}
