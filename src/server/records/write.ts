import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import type { z } from 'zod';
import type { togetherRequest } from '$lib/core/contract/requests';
import { fail, problem, ProblemError, type Problem } from '$lib/core/problems';
import { mustBeGiven, type Column, type Table, type House } from '$lib/core/table/definition';
import { checkValue } from '$lib/core/values/parse';
import { referredIds, sameValue, type Value } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { tableSql } from '../database/ddl';
import { inTransaction } from '../database/transaction';
import { keepingChecks } from './checks-around';
import {
  journalChanges,
  journalOne,
  type Changes,
  type RecordChange,
  type SaveHead,
} from './journal';
import { readRecord } from './read';
import type { RecordRow } from '../../core/contract/answers';
import { seenIds } from './sight';
import { insertRecord, removeRecord, updateRecord } from './statements';

/** Adds one record from values by column key; fails with every problem, each at its column. */
export async function addRecord(
  db: Database,
  tables: House,
  table: Table,
  given: Readonly<Record<string, unknown>>,
  by: string,
  submission: string = randomUUID(),
): Promise<RecordRow> {
  return inTransaction(db, async (trx) => {
    const { made, done } = await addIn(db, trx, tables, table, given, by);
    await journalOne(db, trx, { submission, kind: 'insert' as const, by }, done);
    return made;
  });
}

/** Writes a new record of checked values; the caller journals it. */
async function addIn(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  table: Table,
  given: Readonly<Record<string, unknown>>,
  by: string,
): Promise<{ made: RecordRow; done: RecordChange }> {
  const values = checkedValues(table, given, table.columns);
  refuseRetired(table, values, {});
  refuseShut(tables, table, values, {});
  await refuseUnseen(db, trx, tables, table, values);
  const record = await insertRecord(db, trx, table, values, by);
  const made = await stillSeen(db, trx, tables, table, record);
  const done = { table: table.key, record, action: 'insert' as const, version: made.version };
  return { made, done: { ...done, changes: made.values } };
}

/** Changes columns of a record that is still at `version`; otherwise fails with 409. */
export async function changeRecord(
  db: Database,
  tables: House,
  table: Table,
  id: number,
  version: number,
  given: Readonly<Record<string, unknown>>,
  by: string,
  kind: SaveHead['kind'] = 'update',
): Promise<RecordRow> {
  return inTransaction(db, async (trx) => {
    const done = await changeIn(db, trx, tables, table, { id, version, given }, by, kind);
    await journalOne(db, trx, { submission: randomUUID(), kind, by }, done);
    return stillSeen(db, trx, tables, table, id);
  });
}

/** Writes columns of a record that is still at its version; the caller journals it. */
async function changeIn(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  table: Table,
  { id, version, given }: { id: number; version: number; given: Readonly<Record<string, unknown>> },
  by: string,
  kind: SaveHead['kind'],
): Promise<RecordChange> {
  const named = table.columns.filter((column) => column.key in given);
  const values = checkedValues(table, given, named);
  const before = await readRecord(db, trx, tables, table, id);
  // An earlier state is brought back as it was.
  if (kind === 'update') refuseRetired(table, values, before.values);
  refuseShut(tables, table, values, before.values);
  await refuseUnseen(db, trx, tables, table, values);
  const update = () => updateRecord(db, trx, table, { id, version, values, by });
  const after = { ...before.values, ...values };
  const written = { table: table.key, id, before: before.values, after };
  const now =
    kind === 'restore'
      ? await keepingChecks(db, trx, tables.whole, [written], by, update)
      : await update();
  if (now === null) await refuseStale(db, trx, table, id);
  const done = { table: table.key, record: id, action: 'update' as const, version: now };
  return { ...done, changes: changesOf(before.values, values) };
}

/** Deletes a record that is still at `version`; a record in use is refused with what uses it. */
export async function deleteRecord(
  db: Database,
  tables: House,
  table: Table,
  id: number,
  version: number,
  by: string,
): Promise<string> {
  const submission = randomUUID();
  await inTransaction(db, async (trx) => {
    const done = await removeIn(db, trx, tables, table, { id, version });
    await journalOne(db, trx, { submission, kind: 'delete' as const, by }, done);
  });
  return submission;
}

async function removeIn(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  table: Table,
  { id, version }: { id: number; version: number },
): Promise<RecordChange> {
  const before = await readRecord(db, trx, tables, table, id);
  const gone = await removeRecord(db, trx, tables, table, { id, version });
  if (!gone) await refuseStale(db, trx, table, id);
  const done = { table: table.key, record: id, action: 'delete' as const, version: null };
  return { ...done, changes: before.values };
}

/** What is done to several records of one table together. */
export type Together = z.infer<typeof togetherRequest>;

/**
 * Adds, changes and removes records of a table in one save, all or none; gives its submission. Fails with every
 * problem, each at its place: `add[0].name`, `change[2]`.
 */
export async function writeTogether(
  db: Database,
  tables: House,
  table: Table,
  { add, change, remove }: Together,
  by: string,
): Promise<string> {
  const submission = randomUUID();
  const problems: Problem[] = [];
  await inTransaction(db, async (trx) => {
    const head = { submission, kind: 'together' as const, by };
    const done: RecordChange[] = [];
    problems.length = 0;
    await each(problems, 'remove', remove, async (one) => {
      done.push(await removeIn(db, trx, tables, table, one));
    });
    await each(problems, 'change', change, async ({ id, version, values }) => {
      const given = { id, version, given: values };
      done.push(await changeIn(db, trx, tables, table, given, by, 'update'));
      await stillSeen(db, trx, tables, table, id);
    });
    await each(problems, 'add', add, async (values) => {
      done.push((await addIn(db, trx, tables, table, values, by)).done);
    });
    if (problems.length > 0) throw new ProblemError(problems);
    await journalChanges(db, trx, head, done, { table: table.key, record: null });
  });
  return submission;
}

/** Works through a list; what is refused is noted at its place, and the others are looked at all the same. */
async function each<T>(
  problems: Problem[],
  place: string,
  list: readonly T[],
  work: (one: T) => Promise<unknown>,
): Promise<void> {
  for (const [i, one] of list.entries()) {
    try {
      await work(one);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      const at = (path: string) => `${place}[${i}]${path === '' ? '' : `.${path}`}`;
      problems.push(...error.problems.map((found) => ({ ...found, path: at(found.path) })));
    }
  }
}

/** What values are before and after a change, by column. */
export function changesOf(
  before: Readonly<Record<string, Value>>,
  after: Readonly<Record<string, Value>>,
): Changes {
  return Object.fromEntries(
    Object.entries(after).map(([key, value]) => [
      key,
      { before: before[key] ?? null, after: value },
    ]),
  );
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

/** Refuses options that are not offered any more, where they did not stand there before. */
function refuseRetired(
  table: Table,
  values: Readonly<Record<string, Value>>,
  before: Readonly<Record<string, Value>>,
): void {
  const problems = table.columns.flatMap(({ key, label, type }) => {
    const value = values[key] ?? null;
    if (type.kind !== 'option' || value === null || value === before[key]) return [];
    const option = type.options.find((o) => o.value === value);
    return option?.retired ? [problem('option_retired', { label, given: option.label }, key)] : [];
  });
  if (problems.length > 0) throw new ProblemError(problems);
}

/** Refuses what is typed into columns that are only shown. */
function refuseShut(
  { sight }: House,
  table: Table,
  values: Readonly<Record<string, Value>>,
  before: Readonly<Record<string, Value>>,
): void {
  const shut = sight?.get(table.key)?.shut;
  const problems = table.columns.flatMap(({ key, label }) => {
    const typed = key in values && !sameValue(values[key] ?? null, before[key] ?? null);
    return shut?.has(key) && typed ? [problem('column_not_allowed', { label }, key)] : [];
  });
  if (problems.length > 0) throw new ProblemError(problems, 403);
}

/** Refuses references to records that the person does not see, as if they were not there. */
async function refuseUnseen(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  table: Table,
  values: Readonly<Record<string, Value>>,
): Promise<void> {
  if (!tables.sight) return;
  for (const { key, label, type } of table.columns) {
    if (type.kind !== 'reference' && type.kind !== 'references') continue;
    const value = values[key] ?? null;
    const ids = referredIds(value);
    const seen = await seenIds(db, trx, tables, type.table, ids);
    if (ids.some((id) => !seen.has(id))) fail('record_gone', { label }, 422, key);
  }
}

/** The record as it was written; refused where whoever wrote it would not see it any more. */
async function stillSeen(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  table: Table,
  id: number,
): Promise<RecordRow> {
  const seen = await seenIds(db, trx, tables, table.key, [id]);
  if (!seen.has(id)) fail('record_not_allowed', { table: table.title });
  return readRecord(db, trx, tables, table, id);
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
