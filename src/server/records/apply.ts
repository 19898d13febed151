import type { Knex } from 'knex';
import type { Entry } from '$lib/core/entry/entry';
import { isMade, type PlannedWrite } from '$lib/core/entry/planned-write';
import { fail, problem, ProblemError } from '$lib/core/problems';
import { mustBeGiven, type House } from '$lib/core/table/definition';
import { sameValue, type Value } from '$lib/core/values/types';
import type { WiredForm } from '$lib/core/wiring/form';
import { tableFrom } from '../catalog/tables';
import type { Database, Runner } from '../database/connection';
import {
  changedInOrder,
  journalChanges,
  savedBefore,
  type RecordChange,
  type SaveHead,
} from './journal';
import type { Receipt } from '../../core/contract/answers';
import { readStored } from './stored';
import { shownRecords } from './read';
import { insertRecords, removeRecord, updateRecord } from './statements';
import { changesOf } from './write';

/**
 * Writes what an entry plans, what is to be written `besides` of the form's own record, and the journal of it, with
 * which the transaction ends; gives what is told of it. Fails with a problem at the field it concerns.
 */
export async function applyPlan(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  entry: Entry,
  plan: readonly PlannedWrite[],
  head: SaveHead,
  /** The house as whoever saves sees it: only records in it are named. */
  seen: House,
  besides: (record: number) => Promise<void>,
): Promise<Receipt> {
  const done: RecordChange[] = [];
  /** The record that each planned write has to do with, by its place in the plan. */
  const records: number[] = [];
  for (let i = 0; i < plan.length;) {
    const planned = plan[i];
    if (!planned) break;
    if (planned.action === 'insert') {
      const group = alike(plan, i);
      const changes = await insertGroup(db, trx, tables, entry.form, group, records, head.by);
      records.push(...changes.map(({ record }) => record));
      done.push(...changes);
      i += group.length;
      continue;
    }
    const change =
      planned.action === 'update'
        ? await update(db, trx, tables, entry.form, planned, head.by)
        : await remove(db, trx, tables, planned);
    records.push(planned.id ?? 0);
    if (change) done.push(change);
    i++;
  }
  const { stored } = entry.root;
  const about = { table: entry.form.plan.table, record: stored?.id ?? records[0] ?? 0 };
  await besides(about.record);
  const [lines] = await Promise.all([
    told(db, trx, seen, changedInOrder(done, about)),
    journalChanges(db, trx, head, done, about, { ends: true }),
  ]);
  return { submission: head.submission, records: lines };
}

/** The receipt of an earlier save of a form with this submission, or `null`. */
export async function findReceipt(
  db: Database,
  seen: House,
  form: string,
  submission: string,
): Promise<Receipt | null> {
  const saved = await savedBefore(db, form, submission);
  if (!saved) return null;
  const done = saved.flatMap(({ table, record, action }) =>
    record === null || action === null ? [] : [{ table, record, action }],
  );
  return { submission, records: await told(db, db.knex, seen, done) };
}

/** The inserts into one table that follow one another: they are written together. */
function alike(plan: readonly PlannedWrite[], from: number): PlannedWrite[] {
  const table = plan[from]?.table;
  const end = plan.findIndex((p, i) => i > from && (p.action !== 'insert' || p.table !== table));
  const group = plan.slice(from, end === -1 ? undefined : end);
  // What refers to a record of the same group has to wait for it.
  const waits = group.findIndex(({ values }) =>
    Object.values(values).some((value) => isMade(value) && value.madeBy >= from),
  );
  return waits > 0 ? group.slice(0, waits) : group;
}

async function insertGroup(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  form: WiredForm,
  group: readonly PlannedWrite[],
  records: readonly number[],
  by: string,
): Promise<RecordChange[]> {
  const table = tableFrom(tables, group[0]?.table ?? '');
  const rows = group.map((planned) => ({
    values: linked(planned, records),
    pathOf: (column: string) => fieldPath(form, planned, column),
  }));
  const made = await insertRecords(db, trx, table, rows, by);
  return made.map(({ id, values }) => ({
    table: table.key,
    record: id,
    action: 'insert',
    version: 1,
    changes: values,
  }));
}

async function update(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  form: WiredForm,
  planned: PlannedWrite,
  by: string,
): Promise<RecordChange | null> {
  const table = tableFrom(tables, planned.table);
  const id = planned.id ?? 0;
  const wish = { column: 'id', is: [id] };
  const [before] = await readStored(db, trx, tables, table, wish, 'held');
  if (!before) {
    throw new ProblemError(problem('record_gone', { label: table.title }, planned.path));
  }
  const values = Object.fromEntries(
    Object.entries(linked(planned, [])).filter(
      ([column, value]) => !sameValue(value, before.values[column] ?? null),
    ),
  );
  const { version, answers = {} } = planned;
  // A sheet changes with its answers, though they are rows of their own.
  if (Object.keys(values).length + Object.keys(answers).length === 0) return null;
  const pathOf = (column: string) => fieldPath(form, planned, column);
  const now = await updateRecord(db, trx, table, { id, version, values, by, pathOf });
  if (now === null) return fail('changed_meanwhile', { by: '' }, 409, planned.path);
  const changes = { ...changesOf(before.values, values), ...answers };
  return { table: table.key, record: id, action: 'update', version: now, changes };
}

async function remove(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  { table: key, id, version, path }: PlannedWrite,
): Promise<RecordChange> {
  const table = tableFrom(tables, key);
  const record = id ?? 0;
  const [before] = await readStored(db, trx, tables, table, { column: 'id', is: [record] }, 'held');
  const gone = await removeRecord(db, trx, tables, table, { id: record, version, path });
  if (!gone) return fail('changed_meanwhile', { by: '' }, 409, path);
  const changes = before?.values ?? {};
  return { table: key, record, action: 'delete', version: null, changes };
}

/** The values of a planned record, the records made before it in their places. */
function linked({ values }: PlannedWrite, records: readonly number[]): Record<string, Value> {
  return Object.fromEntries(
    Object.entries(values).map(([column, value]) => [
      column,
      isMade(value) ? (records[value.madeBy] ?? null) : value,
    ]),
  );
}

const receiptWords = { insert: 'inserted', update: 'changed', delete: 'deleted' } as const;

/** So many records are told as people know them; the others of a large save by their number. */
const mostNamed = 50;

/** What was done, record by record, as people know them; a record that the person cannot see has no name. */
async function told(
  db: Database,
  trx: Runner,
  seen: House,
  done: readonly Pick<RecordChange, 'table' | 'record' | 'action'>[],
): Promise<Receipt['records']> {
  const named = done.slice(0, mostNamed);
  const read = [...new Set(named.map((change) => change.table))].map(async (key) => {
    const ids = named.filter((change) => change.table === key).map(({ record }) => record);
    return [key, await shownRecords(db, trx, seen, tableFrom(seen.whole, key), ids)] as const;
  });
  const lines = new Map(await Promise.all(read));
  return done.map(({ table: key, record, action }, i) => {
    const { title } = tableFrom(seen.whole, key);
    const unseen = seen.sight !== null && i < mostNamed && action !== 'delete';
    const shown = lines.get(key)?.get(record) ?? (unseen ? '' : `${title} ${record}`);
    return { table: key, title, id: record, shown, action: receiptWords[action] };
  });
}

/** Columns that a save would leave empty though they must be given, each at its field. */
export function missingColumns(
  entry: Entry,
  plan: readonly PlannedWrite[],
  tables: House,
): { path: string; label: string }[] {
  return plan.flatMap((planned) => {
    if (planned.action === 'delete') return [];
    const { columns } = tableFrom(tables, planned.table);
    return columns.flatMap((column) => {
      const { key, label } = column;
      if (!mustBeGiven(column) || (planned.values[key] ?? null) !== null) return [];
      if (planned.action === 'update' && !(key in planned.values)) return [];
      return [{ path: fieldPath(entry.form, planned, key), label }];
    });
  });
}

/** Where a problem with a column belongs: at the field that saves to it, or else at the whole. */
function fieldPath(
  form: WiredForm,
  { table, path }: Pick<PlannedWrite, 'table' | 'path'>,
  column: string,
): string {
  const grid = /^(\w+)\[/.exec(path)?.[1] ?? '';
  const scope = form.scopes.get(grid);
  if (scope?.table !== table) return path;
  for (const { field } of scope.list) {
    if (field.savesTo === column) return path === '' ? field.key : `${path}.${field.key}`;
  }
  return path;
}
