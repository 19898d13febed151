import { randomUUID } from 'node:crypto';
import { z } from 'zod';
import type { ByKeyResult } from '$lib/core/contract/answers';
import { importColumnSchema, RowReader, type ImportColumn } from '$lib/core/formats/csv-rows';
import { fail, problem, ProblemError } from '$lib/core/problems';
import { columnOf, mustBeGiven, type House, type Table } from '$lib/core/table/definition';
import type { StoredRecord } from '$lib/core/entry/stored';
import { fileIdSchema } from '$lib/core/values/files';
import { formatValue } from '$lib/core/values/format';
import { keySchema } from '$lib/core/values/key';
import { sameValue, type Value } from '$lib/core/values/types';
import { reader as readerNow } from '$lib/core/words/reader';
import { breather } from '../breathe';
import { tableFrom } from '../catalog/tables';
import type { Database, Runner } from '../database/connection';
import { inTransaction } from '../database/transaction';
import { corrected, correctionsSchema } from './corrections';
import { openCsv } from './csv-file';
import { Equality } from './equality';
import { isRejected, loadMatches } from './import';
import { handedIn } from './import-together';
import { journalChanges, type RecordChange } from './journal';
import { shownRecords } from './read';
import { insertRecords, updateRecord } from './statements';
import { readStored } from './stored';
import { toDatabase } from './values';
import { changesOf } from './write';

/** A file that was handed in, whose rows are matched with those of a table by one of its columns. */
export const byKeySchema = z.strictObject({
  file: fileIdSchema,
  table: keySchema,
  /** The column of the table that tells which record a row is. */
  by: keySchema,
  columns: z.array(importColumnSchema).min(1).max(1000),
  delimiter: z.string().length(1),
  cells: z.number().int().min(1).max(10_000),
  corrections: correctionsSchema,
  /** Whether rows that match nothing are added, and whether those that match are changed. */
  add: z.boolean().default(true),
  change: z.boolean().default(true),
  /** Whether it is only looked at. */
  check: z.boolean().default(false),
});
export type ByKey = z.infer<typeof byKeySchema>;

const mostRows = 50_000;
const mostTold = 200;
const kinds = ['text', 'whole', 'decimal', 'code', 'date', 'option'];

/** A row of the file with the record that it is; `null` where there is none. */
interface Matched {
  line: number;
  values: Record<string, Value>;
  cells: readonly string[];
  record: StoredRecord | null;
}

/**
 * Adds and changes records of a table by the rows of a file, in one save that can be undone; or says what
 * would be done. Nothing is done where a row cannot be read.
 */
export async function importByKey(
  db: Database,
  house: House,
  wish: ByKey,
  by: string,
): Promise<ByKeyResult> {
  const table = tableFrom(house, wish.table);
  const key = table.columns.find((column) => column.key === wish.by);
  if (!key || !kinds.includes(key.type.kind)) {
    return fail('by_key_odd', { label: key?.label ?? wish.by }, 422, 'by');
  }
  const columns = ownColumns(wish, table, house);
  return inTransaction(db, async (trx) => {
    const { result, rows } = await matched(db, trx, house, table, columns, wish, by);
    const before = new Map(rows.flatMap(({ record }) => (record ? [[record.id, record]] : [])));
    const fresh = rows.filter(({ record }) => record === null);
    refuseLacking(table, columns, fresh, result);
    if (wish.check || result.rejectedRows > 0) {
      if (!wish.check) throw new RejectedByKeyError(result);
      return result;
    }
    const changed = rows.filter(({ record, values }) => record && isOther(record, values));
    if (fresh.length + changed.length === 0) return result;
    const head = { submission: randomUUID(), kind: 'together' as const, by };
    const done: RecordChange[] = [];
    const added = fresh.map(({ values }) => ({ values, pathOf: (column: string) => column }));
    for (const { id, values } of await insertRecords(db, trx, table, added, by)) {
      const change = { table: table.key, record: id, action: 'insert' as const, version: 1 };
      done.push({ ...change, changes: values });
    }
    for (const { record, values } of changed) {
      const was = before.get(record?.id ?? 0);
      if (!was) continue;
      const { id, version } = was;
      const now = await updateRecord(db, trx, table, { id, version, values, by });
      if (now === null) return fail('changed_meanwhile', { by: '' }, 409);
      const change = { table: table.key, record: id, action: 'update' as const, version: now };
      done.push({ ...change, changes: changesOf(was.values, values) });
    }
    await journalChanges(db, trx, head, done, { table: table.key, record: null });
    return { ...result, submission: head.submission };
  });
}

/** Rows that were refused; carries them. */
export class RejectedByKeyError extends ProblemError {
  constructor(readonly result: ByKeyResult) {
    super(problem('rows_rejected', { count: result.rejectedRows }, 'file'));
  }
}

/** The columns as the table says, whatever the request said; the key among them. */
function ownColumns({ columns, by }: ByKey, table: Table, { sight }: House): ImportColumn[] {
  const shut = sight?.get(table.key)?.shut;
  const own = columns.map((column) => {
    const there = table.columns.find(({ key }) => key === column.key);
    if (!there) return fail('unknown_column', { table: table.title, column: column.key });
    if (shut?.has(there.key)) fail('column_not_allowed', { label: there.label }, 403, 'columns');
    if (there.type.kind === 'references' || there.type.kind === 'files') {
      return fail('links_in_file', { label: there.label }, 422, 'columns');
    }
    return { ...column, ...there, required: there.required && there.key !== by };
  });
  if (!own.some(({ key }) => key === by))
    fail('unknown_column', { table: table.title, column: by });
  // In the file each stands once.
  return own.map((column) => (column.key === by ? { ...column, unique: true } : column));
}

async function matched(
  db: Database,
  runner: Runner,
  house: House,
  table: Table,
  columns: readonly ImportColumn[],
  wish: ByKey,
  by: string,
): Promise<{ result: ByKeyResult; rows: Matched[] }> {
  const matches = await loadMatches(db, house, columns);
  const equality = new Equality(db.knex);
  const reader = new RowReader(columns, wish.cells, matches, (text) => equality.key(text));
  const file = await openCsv(await handedIn(db, wish.file, by), wish.delimiter);
  const result: ByKeyResult = {
    ...{ rows: 0, written: 0, rejectedRows: 0, rejections: [], table: table.key },
    ...{ added: 0, changed: 0, same: 0, left: 0, steps: [], submission: null },
  };
  const rows: Matched[] = [];
  const breathe = breather();
  for await (const batch of corrected(file.rows, wish.corrections)) {
    await breathe();
    await matches.learn(batch.map(({ cells }) => cells));
    const unique = columns.filter((column) => column.unique);
    await equality.learn(batch.flatMap(({ cells }) => unique.map((c) => cells[c.source] ?? '')));
    const read: { line: number; cells: readonly string[]; values: Record<string, Value> }[] = [];
    for (const { cells, line } of batch) {
      result.rows++;
      if (result.rows > mostRows) fail('too_many_by_key', { limit: mostRows }, 422, 'file');
      const values = reader.read(cells, line);
      if (isRejected(values)) reject(result, values);
      else {
        const named = Object.fromEntries(columns.map(({ key }, i) => [key, values[i] ?? null]));
        read.push({ line, cells, values: named });
      }
    }
    const found = await recordsBy(db, runner, house, table, wish, read, equality);
    for (const row of read) rows.push(...meant(found, columns, wish, row, equality, result));
  }
  if (result.rows === 0) fail('header_only', {}, 422, 'file');
  await tell(db, runner, house, table, columns, rows, result);
  return { result, rows };
}

/** The records that rows name, by what the database holds equal. */
async function recordsBy(
  db: Database,
  runner: Runner,
  house: House,
  table: Table,
  { by, check }: ByKey,
  rows: readonly { values: Record<string, Value> }[],
  equality: Equality,
): Promise<Map<string, StoredRecord[]>> {
  const type = columnOf(table, by)?.type;
  const is = rows.flatMap(({ values }) => {
    const value = values[by] ?? null;
    const bound = type && value !== null ? toDatabase(type, value) : null;
    return bound === null ? [] : [bound];
  });
  const wish = { column: by, is };
  const stored = await readStored(db, runner, house, table, wish, check ? 'read' : 'held');
  await equality.learn(stored.map(({ values }) => String(values[by])));
  await equality.learn(is.map(String));
  const found = new Map<string, StoredRecord[]>();
  for (const record of stored) {
    const text = equality.key(String(record.values[by]));
    found.set(text, [...(found.get(text) ?? []), record]);
  }
  return found;
}

/** What is meant by a row: a record that is added or changed; nothing where it is left alone, or cannot be. */
function meant(
  found: ReadonlyMap<string, StoredRecord[]>,
  columns: readonly ImportColumn[],
  { by, add, change }: ByKey,
  row: { line: number; cells: readonly string[]; values: Record<string, Value> },
  equality: Equality,
  result: ByKeyResult,
): Matched[] {
  const column = columns.find(({ key }) => key === by);
  const label = column?.label ?? by;
  const { line } = row;
  const key = row.values[by] ?? null;
  const at = { line, column: label, source: column?.source ?? 0, given: String(key ?? '') };
  if (key === null) {
    reject(result, [{ ...at, problem: problem('key_missing', { label }) }]);
    return [];
  }
  const [record, twice] = found.get(equality.key(String(key))) ?? [];
  if (twice) {
    reject(result, [{ ...at, problem: problem('key_ambiguous', { label, given: String(key) }) }]);
    return [];
  }
  if (record ? !change : !add) {
    result.left++;
    return [];
  }
  if (!record) result.added++;
  else if (isOther(record, row.values)) result.changed++;
  else result.same++;
  result.written = result.added + result.changed;
  return [{ ...row, record: record ?? null }];
}

function isOther({ values: before }: StoredRecord, values: Record<string, Value>): boolean {
  return Object.entries(values).some(([key, value]) => !sameValue(value, before[key] ?? null));
}

function reject(result: ByKeyResult, found: ByKeyResult['rejections']): void {
  result.rejectedRows++;
  if (result.rejections.length < mostTold) result.rejections.push(...found);
}

/** New records lack what no column of the file gives. */
function refuseLacking(
  table: Table,
  columns: readonly ImportColumn[],
  fresh: readonly Matched[],
  result: ByKeyResult,
): void {
  const given = new Set(columns.map(({ key }) => key));
  const lacking = table.columns.filter((column) => mustBeGiven(column) && !given.has(column.key));
  if (lacking.length === 0) return;
  for (const { line } of fresh) {
    result.added--;
    result.written--;
    reject(
      result,
      lacking.map(({ label }) => ({
        ...{ line, column: label },
        problem: problem('required', { label }),
      })),
    );
  }
}

/** Tells the first changes, as people read them. */
async function tell(
  db: Database,
  runner: Runner,
  house: House,
  table: Table,
  columns: readonly ImportColumn[],
  rows: readonly Matched[],
  result: ByKeyResult,
): Promise<void> {
  const changed = rows
    .flatMap(({ record, ...row }) =>
      record && isOther(record, row.values) ? [{ ...row, record }] : [],
    )
    .slice(0, mostTold);
  const ids = changed.map(({ record }) => record.id);
  const names = await shownRecords(db, runner, house, table, ids);
  const referred = new Map<string, string>();
  for (const { key, type } of columns) {
    if (type.kind !== 'reference') continue;
    const before = changed.flatMap(({ record }) => {
      const id = record.values[key];
      return typeof id === 'number' ? [id] : [];
    });
    const lines = await shownRecords(db, runner, house, tableFrom(house, type.table), before);
    for (const [id, line] of lines) referred.set(`${key} ${id}`, line);
  }
  result.steps = changed.map(({ line, cells, values, record }) => ({
    ...{ line, record: record.id, name: names.get(record.id) ?? `#${record.id}` },
    changes: columns.flatMap(({ key, label, type, source }) => {
      const [before, after] = [record.values[key] ?? null, values[key] ?? null];
      if (sameValue(before, after)) return [];
      const shown = (value: Value) => formatValue(type, value, readerNow());
      if (type.kind !== 'reference') return [{ label, before: shown(before), after: shown(after) }];
      const was = before === null ? '–' : (referred.get(`${key} ${String(before)}`) ?? '–');
      return [{ label, before: was, after: after === null ? '–' : (cells[source] ?? '').trim() }];
    }),
  }));
}
