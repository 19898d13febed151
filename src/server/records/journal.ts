import type { Value } from '$lib/core/values/types';
import type { Database, Runner } from '../database/connection';
import { parseJson } from '../database/structure';

/** What a save did. */
export interface Receipt {
  submission: string;
  records: { table: string; title: string; id: number; shown: string; action: 'inserted' }[];
}

/** One row of the journal: who wrote what, when, with which edition. */
export interface JournalRow {
  submission: string;
  kind: 'entry' | 'insert' | 'update' | 'delete' | 'import';
  form?: string;
  edition?: number;
  table: string;
  record?: number;
  /** The values written, by column; for an update also those before. */
  changes: Record<string, Value | { before: Value; after: Value }>;
  by: string;
}

/** Writes a journal row; a submission that is already there fails with a duplicate key. */
export async function writeJournal(db: Database, runner: Runner, row: JournalRow): Promise<void> {
  await journal(db, runner).insert({
    submission: row.submission,
    kind: row.kind,
    form_key: row.form ?? null,
    edition: row.edition ?? null,
    table_key: row.table,
    record_id: row.record ?? null,
    changes: JSON.stringify(row.changes),
    by_person: row.by,
  });
}

/** Completes the journal row of a save with its receipt. */
export async function completeJournal(
  db: Database,
  runner: Runner,
  receipt: Receipt,
): Promise<void> {
  await journal(db, runner)
    .where({ submission: receipt.submission })
    .update({ receipt: JSON.stringify(receipt), record_id: receipt.records[0]?.id ?? null });
}

/** The receipt of an earlier save with this submission, or `null`. */
export async function findReceipt(
  db: Database,
  runner: Runner,
  form: string,
  submission: string,
): Promise<Receipt | null> {
  const row = await journal(db, runner)
    .where({ submission, form_key: form })
    .whereNotNull('receipt')
    .first('receipt');
  return row ? (parseJson(row.receipt) as Receipt) : null;
}

/** A line of the activity page. */
export interface Activity {
  id: number;
  kind: JournalRow['kind'];
  form: string | null;
  edition: number | null;
  table: string;
  record: number | null;
  by: string;
  at: string;
  changes: JournalRow['changes'];
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
  const rows = await query.select();
  return rows.map((row) => ({
    id: Number(row.id),
    kind: row.kind,
    form: row.form_key,
    edition: row.edition,
    table: row.table_key,
    record: row.record_id === null ? null : Number(row.record_id),
    by: row.by_person,
    at: `${String(row.at).replace(' ', 'T')}Z`,
    changes: parseJson(row.changes) as JournalRow['changes'],
  }));
}

function journal(db: Database, runner: Runner) {
  return runner('journal').withSchema(db.catalog);
}
