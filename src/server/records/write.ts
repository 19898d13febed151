import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import { fail, problem, ProblemError, type Problem } from '$lib/core/problems';
import { mustBeGiven, type Column, type Table, type House } from '$lib/core/table/definition';
import { checkValue } from '$lib/core/values/parse';
import { idsOf, sameValue, type Value } from '$lib/core/values/types';
import type { Database } from '../database/connection';
import { tableSql } from '../database/ddl';
import { inTransaction } from '../database/transaction';
import { keepingChecks } from './checks-around';
import { journalOne, type Changes, type SaveHead } from './journal';
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
  const values = checkedValues(table, given, table.columns);
  refuseRetired(table, values, {});
  refuseShut(tables, table, values, {});
  return inTransaction(db, async (trx) => {
    await refuseUnseen(db, trx, tables, table, values);
    const record = await insertRecord(db, trx, table, values, by);
    const made = await stillSeen(db, trx, tables, table, record);
    const done = { table: table.key, record, action: 'insert' as const, version: made.version };
    const head = { submission, kind: 'insert' as const, by };
    await journalOne(db, trx, head, { ...done, changes: made.values });
    return made;
  });
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
  const named = table.columns.filter((column) => column.key in given);
  const values = checkedValues(table, given, named);
  return inTransaction(db, async (trx) => {
    const before = await readRecord(db, trx, tables, table, id);
    // An earlier state is brought back as it was.
    if (kind === 'update') refuseRetired(table, values, before.values);
    refuseShut(tables, table, values, before.values);
    await refuseUnseen(db, trx, tables, table, values);
    const update = () => updateRecord(db, trx, table, { id, version, values, by });
    const written = {
      table: table.key,
      id,
      before: before.values,
      after: { ...before.values, ...values },
    };
    const now =
      kind === 'restore'
        ? await keepingChecks(db, trx, tables.whole, [written], by, update)
        : await update();
    if (now === null) await refuseStale(db, trx, table, id);
    const head = { submission: randomUUID(), kind, by };
    const done = { table: table.key, record: id, action: 'update' as const, version: now };
    const changes = changesOf(before.values, values);
    await journalOne(db, trx, head, { ...done, changes });
    return stillSeen(db, trx, tables, table, id);
  });
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
    const before = await readRecord(db, trx, tables, table, id);
    const gone = await removeRecord(db, trx, tables, table, { id, version });
    if (!gone) await refuseStale(db, trx, table, id);
    const done = { table: table.key, record: id, action: 'delete' as const, version: null };
    const head = { submission, kind: 'delete' as const, by };
    await journalOne(db, trx, head, { ...done, changes: before.values });
  });
  return submission;
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
    const ids = typeof value === 'number' ? [value] : idsOf(value);
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
