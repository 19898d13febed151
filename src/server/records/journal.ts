import { momentOf } from '../database/moments';
import { z } from 'zod';
import { receiptAnswer, type Receipt } from '$lib/core/contract/answers';
import { randomUUID } from 'node:crypto';
import type { StoredRecord } from '$lib/core/entry/stored';
import { valueSchema, type Value } from '$lib/core/values/types';
import type { Database, Runner } from '../database/connection';
import { parseJson } from '../database/json';

/** What was done to a record. */
const actionSchema = z.enum(['insert', 'update', 'delete']);
export type Action = z.infer<typeof actionSchema>;

/** The value of a column, or those before and after a change. */
const changeSchema = z.union([
  z.strictObject({ before: valueSchema, after: valueSchema }),
  valueSchema,
]);
export type Change = z.infer<typeof changeSchema>;
const changesSchema = z.record(z.string(), changeSchema);
export type Changes = z.infer<typeof changesSchema>;

/** By what records are written: an entry of a form, a step at a table, a file, the journal itself. */
const saveKindSchema = z.enum([
  'entry',
  ...actionSchema.options,
  'import',
  'restore',
  'undo',
  'together',
]);
export type SaveKind = z.infer<typeof saveKindSchema>;

/** One save: who wrote, and with which form. */
export interface SaveHead {
  submission: string;
  kind: SaveKind;
  form?: string;
  edition?: number;
  by: string;
}

/** What one save did to one record. */
export interface RecordChange {
  table: string;
  record: number;
  action: Action;
  /** The version that the record got; `null` where it is gone. */
  version: number | null;
  /** The values written, by column; of an update also those before, of a deletion those that are gone. */
  changes: Changes;
}

/**
 * Opens a save: its first row, whose submission is unique, so that a repeated one waits here for the
 * first to end, and then fails with a duplicate key.
 */
export async function openSave(
  db: Database,
  runner: Runner,
  head: SaveHead,
  table: string,
  changes: Changes = {},
): Promise<void> {
  await journal(db, runner).insert(row(head, { submission: head.submission, table, changes }));
}

/** Writes what a save did: the record that it is about into its first row, with the receipt; each other one behind it. */
export async function journalChanges(
  db: Database,
  runner: Runner,
  head: SaveHead,
  done: readonly RecordChange[],
  about: { table: string; record: number } | null = done[0] ?? null,
  receipt: Receipt | null = null,
): Promise<void> {
  const first = done.find((d) => d.table === about?.table && d.record === about?.record);
  const rows = done
    .filter((change) => change !== first)
    .map((change) => row(head, { submission: randomUUID(), ...change }));
  // The first row is there already: what would be a second one of its submission is written into it.
  if (about) {
    const own = { table: about.table, record: about.record, changes: {}, ...first };
    const written = { ...row(head, { submission: head.submission, ...own }) };
    rows.unshift({ ...written, receipt: receipt && JSON.stringify(receipt) });
  }
  for (let i = 0; i < rows.length; i += 500) {
    await journal(db, runner)
      .insert(rows.slice(i, i + 500))
      .onConflict('submission')
      .merge(['record_id', 'receipt', 'action', 'record_version', 'changes']);
  }
}

/** Opens and writes a save of one record. */
export async function journalOne(
  db: Database,
  runner: Runner,
  head: SaveHead,
  done: RecordChange,
): Promise<void> {
  await openSave(db, runner, head, done.table);
  await journalChanges(db, runner, head, [done]);
}

function row(
  head: SaveHead,
  given: { submission: string; table: string; changes: Changes } & Partial<RecordChange>,
): Record<string, unknown> {
  return {
    submission: given.submission,
    save: head.submission,
    kind: head.kind,
    form_key: head.form ?? null,
    edition: head.edition ?? null,
    table_key: given.table,
    record_id: given.record ?? null,
    action: given.action ?? null,
    record_version: given.version ?? null,
    changes: JSON.stringify(given.changes),
    by_person: head.by,
  };
}

/** The receipt of an earlier save with this submission, or `null`. */
export async function findReceipt(
  db: Database,
  runner: Runner,
  form: string,
  submission: string,
): Promise<Receipt | null> {
  const found = await journal(db, runner)
    .where({ submission, form_key: form })
    .whereNotNull('receipt')
    .first('receipt');
  return found ? receiptAnswer.shape.receipt.parse(parseJson(found.receipt)) : null;
}

/** A line of the activity page, and of a record's history. */
export interface Activity {
  id: number;
  save: string;
  kind: SaveKind;
  action: Action | null;
  form: string | null;
  edition: number | null;
  table: string;
  record: number | null;
  version: number | null;
  by: string;
  at: string;
  changes: Changes;
}

/** The first row of each of the newest saves: what the save is about. */
export async function firstRows(
  db: Database,
  wish: { limit: number; before?: number },
): Promise<Activity[]> {
  const query = journal(db, db.knex)
    .whereRaw('submission = save')
    .orderBy('id', 'desc')
    .limit(wish.limit);
  if (wish.before !== undefined) query.where('id', '<', wish.before);
  return (await query.select()).map(activity);
}

/** The newest rows of the journal, or those of one record. */
export async function listActivity(
  db: Database,
  wish: { limit: number; before?: number; table?: string; record?: number },
): Promise<Activity[]> {
  const query = journal(db, db.knex).orderBy('id', 'desc').limit(wish.limit);
  if (wish.before !== undefined) query.where('id', '<', wish.before);
  if (wish.table !== undefined) query.where({ table_key: wish.table });
  if (wish.record !== undefined) query.where({ record_id: wish.record });
  return (await query.select()).map(activity);
}

/** All that one save did, in order. */
export async function changesOfSave(
  db: Database,
  runner: Runner,
  save: string,
): Promise<Activity[]> {
  return (await journal(db, runner).where({ save }).orderBy('id').select()).map(activity);
}

/** What was done to records since they had a version, newest first. */
export async function changesSince(
  db: Database,
  runner: Runner,
  table: string,
  records: readonly Pick<StoredRecord, 'id' | 'version'>[],
): Promise<Activity[]> {
  if (records.length === 0) return [];
  const versions = new Map(records.map(({ id, version }) => [id, version]));
  const rows = await journal(db, runner)
    .where({ table_key: table })
    .whereIn('record_id', [...versions.keys()])
    .orderBy('id', 'desc')
    .select();
  return rows.map(activity).filter(({ record, version, action }) => {
    const known = versions.get(record ?? 0) ?? Infinity;
    return action === 'delete' || (version !== null && version > known);
  });
}

/** The values of a record as they were before changes, given newest first. */
export function valuesBefore(
  values: Readonly<Record<string, Value>>,
  since: readonly Activity[],
): Record<string, Value> {
  const was = { ...values };
  for (const { action, changes } of since) {
    for (const [column, change] of Object.entries(changes)) {
      if (isChange(change)) was[column] = change.before;
      else if (action === 'delete') was[column] = change;
    }
  }
  return was;
}

/** Whether a change tells the value before and after. */
export function isChange(change: Change): change is { before: Value; after: Value } {
  return typeof change === 'object' && change !== null && 'before' in change;
}

function activity(found: Record<string, unknown>): Activity {
  const number = (value: unknown) => (value === null ? null : Number(value));
  return {
    id: Number(found.id),
    save: String(found.save),
    kind: saveKindSchema.parse(found.kind),
    action: actionSchema.nullable().parse(found.action),
    form: found.form_key === null ? null : String(found.form_key),
    edition: number(found.edition),
    table: String(found.table_key),
    record: number(found.record_id),
    version: number(found.record_version),
    by: String(found.by_person),
    at: momentOf(found.at),
    changes: changesSchema.parse(parseJson(found.changes)),
  };
}

function journal(db: Database, runner: Runner) {
  return runner('journal').withSchema(db.catalog);
}
