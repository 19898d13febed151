import { randomUUID } from 'node:crypto';
import { setTimeout } from 'node:timers/promises';
import type { Knex } from 'knex';
import { fail, problem, ProblemError, type Problem } from '$lib/core/problems';
import { mustBeGiven, type Column, type Table, type Tables } from '$lib/core/table/definition';
import { keptColumns, linkTable } from '$lib/core/table/links';
import { checkValue } from '$lib/core/values/parse';
import type { Value } from '$lib/core/values/types';
import { referencesTo } from '../catalog/usage';
import type { Database, Runner } from '../database/connection';
import { tableSql, uniqueName } from '../database/ddl';
import { duplicateIndex, isDeadlock, isReferenced, missingReference } from '../database/errors';
import { nextCode } from './codes';
import { writeJournal } from './journal';
import { writeLinks } from './links';
import { readRecord, type RecordRow } from './read';
import { toDatabase } from './values';

const mostTries = 12;

/**
 * Runs a transaction in which every read sees what is committed by then; one that falls victim to a
 * deadlock is tried again after a short pause of random length.
 */
export async function inTransaction<T>(
  db: Database,
  work: (trx: Knex.Transaction) => Promise<T>,
): Promise<T> {
  for (let tried = 1; ; tried++) {
    try {
      return await db.knex.transaction(work, { isolationLevel: 'read committed' });
    } catch (error) {
      if (!isDeadlock(error) || tried === mostTries) throw error;
      await setTimeout(Math.random() * 20 * tried);
    }
  }
}

/** Adds one record from values by column key; fails with every problem, each at its column. */
export async function addRecord(
  db: Database,
  tables: Tables,
  table: Table,
  given: Readonly<Record<string, unknown>>,
  by: string,
  submission: string = randomUUID(),
): Promise<RecordRow> {
  const values = checkedValues(table, given, table.columns);
  return inTransaction(db, async (trx) => {
    const id = await insertRecord(db, trx, table, values, by);
    const journal = { submission, table: table.key, record: id, changes: values, by };
    await writeJournal(db, trx, { kind: 'insert', ...journal });
    return readRecord(db, trx, tables, table, id);
  });
}

/** Changes columns of a record that is still at `version`; otherwise fails with 409. */
export async function changeRecord(
  db: Database,
  tables: Tables,
  table: Table,
  id: number,
  version: number,
  given: Readonly<Record<string, unknown>>,
  by: string,
): Promise<RecordRow> {
  const named = table.columns.filter((column) => column.key in given);
  const values = checkedValues(table, given, named);
  return inTransaction(db, async (trx) => {
    const before = await readRecord(db, trx, tables, table, id);
    const kept = keptColumns(table).filter((column) => column.key in given);
    const sets = kept.map((column) => `\`${column.key}\` = ?`);
    const stamps = ['`row_version` = `row_version` + 1', '`updated_at` = utc_timestamp()'];
    const sql = `update ${tableSql(db, table.key)} set ${[...sets, ...stamps, '`updated_by` = ?'].join(', ')} where \`id\` = ? and \`row_version\` = ?`;
    const bound = kept.map((column) => toDatabase(column.type, values[column.key] ?? null));
    const [result] = await mapped(table, values, () =>
      trx.raw(sql, [...bound, by, id, version] as never),
    );
    if (result.affectedRows === 0) await refuseStale(db, trx, table, id);
    await mapped(table, values, () => writeLinks(db, trx, table, id, values));
    const changes = Object.fromEntries(
      named.map(({ key }) => [
        key,
        { before: before.values[key] ?? null, after: values[key] ?? null },
      ]),
    );
    const journal = { submission: randomUUID(), table: table.key, record: id, changes, by };
    await writeJournal(db, trx, { kind: 'update', ...journal });
    return readRecord(db, trx, tables, table, id);
  });
}

/** Deletes a record that is still at `version`; a record in use is refused with what uses it. */
export async function deleteRecord(
  db: Database,
  tables: Tables,
  table: Table,
  id: number,
  version: number,
  by: string,
): Promise<void> {
  try {
    await inTransaction(db, async (trx) => {
      const before = await readRecord(db, trx, tables, table, id);
      const sql = `delete from ${tableSql(db, table.key)} where \`id\` = ? and \`row_version\` = ?`;
      const [result] = await trx.raw(sql, [id, version]);
      if (result.affectedRows === 0) await refuseStale(db, trx, table, id);
      const journal = { submission: randomUUID(), record: id, changes: before.values, by };
      await writeJournal(db, trx, { kind: 'delete', table: table.key, ...journal });
    });
  } catch (error) {
    if (!isReferenced(error)) throw error;
    fail('in_use', { users: await usersOf(db, tables, table, id) }, 409);
  }
}

/** Inserts a row of checked values; gives its id. Fails with a problem at the column it concerns. */
export async function insertRecord(
  db: Database,
  runner: Runner,
  table: Table,
  values: Readonly<Record<string, Value>>,
  by: string,
  pathOf: (column: string) => string = (column) => column,
): Promise<number> {
  const codes = await codesFor(db, runner, table, values);
  const all = { ...values, ...codes };
  const written = keptColumns(table).filter((column) => column.key in all);
  const names = [...written.map((c) => `\`${c.key}\``), '`created_by`', '`updated_by`'];
  const bound = written.map((column) => toDatabase(column.type, all[column.key] ?? null));
  const marks = names.map(() => '?').join(', ');
  const sql = `insert into ${tableSql(db, table.key)} (${names.join(', ')}) values (${marks})`;
  const [result] = await mapped(
    table,
    values,
    () => runner.raw(sql, [...bound, by, by] as never),
    pathOf,
  );
  const id = Number(result.insertId);
  await mapped(table, values, () => writeLinks(db, runner, table, id, values), pathOf);
  return id;
}

/** A code for each column that numbers its records by itself and was given none. */
async function codesFor(
  db: Database,
  runner: Runner,
  table: Table,
  values: Readonly<Record<string, Value>>,
): Promise<Record<string, string>> {
  const codes: Record<string, string> = {};
  for (const column of table.columns) {
    const { type } = column;
    if (type.kind !== 'code' || (values[column.key] ?? null) !== null) continue;
    codes[column.key] = await nextCode(
      db,
      runner,
      table,
      { ...column, type },
      new Date().getFullYear(),
    );
  }
  return codes;
}

/** Checks values by column; fails with all problems and with columns that do not exist. */
function checkedValues(
  table: Table,
  given: Readonly<Record<string, unknown>>,
  columns: readonly Column[],
): Record<string, Value> {
  const problems: Problem[] = [];
  const values: Record<string, Value> = {};
  for (const key of Object.keys(given)) {
    if (table.columns.some((column) => column.key === key)) continue;
    problems.push(problem('unknown_column', { table: table.title, column: key }, key));
  }
  for (const column of columns) {
    const { key, label } = column;
    const checked = checkValue(column.type, given[key], label);
    if ('problem' in checked) problems.push({ ...checked.problem, path: key });
    else if (checked.value === null && mustBeGiven(column)) {
      problems.push(problem('required', { label }, key));
    } else values[key] = checked.value;
  }
  if (problems.length > 0) throw new ProblemError(problems);
  return values;
}

/** Turns what the database refuses into a problem at its column. */
async function mapped<T>(
  table: Table,
  values: Readonly<Record<string, Value>>,
  write: () => PromiseLike<T>,
  pathOf: (column: string) => string = (column) => column,
): Promise<T> {
  try {
    return await write();
  } catch (error) {
    const found = writeProblem(error, table, values);
    if (!found) throw error;
    throw new ProblemError({ ...found, path: pathOf(found.path) });
  }
}

function writeProblem(
  error: unknown,
  table: Table,
  values: Readonly<Record<string, Value>>,
): Problem | null {
  const index = duplicateIndex(error);
  const taken = table.columns.find((column) => index === uniqueName(column.key));
  if (taken) {
    const given = String(values[taken.key]);
    return problem('not_unique', { label: taken.label, given, table: table.title }, taken.key);
  }
  const missing = missingReference(error);
  const dangling = table.columns.find(
    (column) => column.key === missing || linkTable(table.key, column)?.other === missing,
  );
  if (!dangling) return null;
  return problem('record_gone', { label: dangling.label }, dangling.key);
}

async function refuseStale(
  db: Database,
  trx: Knex.Transaction,
  table: Table,
  id: number,
): Promise<never> {
  const sql = `select updated_by from ${tableSql(db, table.key)} where id = ?`;
  const [[row]] = await trx.raw(sql, [id]);
  if (!row) return fail('unknown_record', { id: String(id), table: table.title }, 404);
  return fail('changed_meanwhile', { by: String(row.updated_by) }, 409);
}

async function usersOf(db: Database, tables: Tables, table: Table, id: number): Promise<string> {
  const bound = 100;
  const users: string[] = [];
  for (const { table: other, column } of referencesTo(tables, table.key)) {
    const links = linkTable(other.key, column);
    const [name, by] = links ? [links.name, links.other] : [other.key, column.key];
    const sql = `select count(*) as n from (select 1 from ${tableSql(db, name)} where \`${by}\` = ? limit ${bound}) as counted`;
    const [[row]] = await db.knex.raw(sql, [id]);
    const n = Number(row.n);
    if (n === 0) continue;
    const many = n === bound ? `${bound} or more records` : n === 1 ? '1 record' : `${n} records`;
    users.push(`${many} of ${other.title} (${column.label})`);
  }
  return users.length > 0 ? users.join(', ') : 'other records';
}
