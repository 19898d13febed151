import { z } from 'zod';
import { Entry } from '$lib/core/entry/entry';
import { settle } from '$lib/core/entry/settle';
import { writePlan } from '$lib/core/entry/write-plan';
import { fail, problem, ProblemError, type Problem } from '$lib/core/problems';
import type { Table, Tables } from '$lib/core/table/definition';
import { wireForm, type WiredForm } from '$lib/core/wiring/form';
import { knownEdition } from '../catalog/forms';
import { loadTables, tableFrom } from '../catalog/tables';
import type { Database, Runner } from '../database/connection';
import { duplicateIndex } from '../database/errors';
import { databaseReader } from './form-read';
import { completeJournal, findReceipt, writeJournal, type Receipt } from './journal';
import { shownRecord } from './read';
import { inTransaction, insertRecord } from './write';

/** What a screen sends to save an entry. */
export const entrySchema = z.strictObject({
  /** Made by the screen once per entry; a retry carries the same. */
  submission: z.string().regex(/^[A-Za-z0-9-]{8,64}$/),
  edition: z.number().int().min(1),
  values: z.record(z.string(), z.unknown()),
  rows: z.record(z.string(), z.never()).default({}),
});
export type EntryRequest = z.infer<typeof entrySchema>;

/** Saves an entry: all of it or nothing, and once. Fails with all problems by field. */
export async function saveEntry(
  db: Database,
  formKey: string,
  request: EntryRequest,
  by: string,
): Promise<Receipt> {
  const tables = await loadTables(db);
  const { form: head, plan } = await knownEdition(db, tables, formKey, request.edition);
  const earlier = await findReceipt(db, db.knex, head.key, request.submission);
  if (earlier) return earlier;
  const form = wireForm(plan, tables);
  refuseUnknownFields(form, request.values);
  try {
    return await inTransaction(db, async (trx) => {
      // First, so that a repeated submission waits here for the first one to end.
      await writeJournal(db, trx, {
        submission: request.submission,
        kind: 'entry',
        form: head.key,
        edition: request.edition,
        table: plan.table,
        changes: {},
        by,
      });
      const entry = new Entry(form, { mode: 'opened', values: request.values });
      await settle(entry, databaseReader(db, trx, tables, form));
      const problems = entryProblems(entry, tableFrom(tables, plan.table));
      if (problems.length > 0) throw new ProblemError(problems);
      const receipt = await write(db, trx, tables, entry, request.submission, by);
      await completeJournal(db, trx, receipt);
      return receipt;
    });
  } catch (error) {
    const index = duplicateIndex(error);
    if (index === null) throw error;
    const first = await findReceipt(db, db.knex, head.key, request.submission);
    if (!first) return fail('bad_request', { reason: 'the submission is used elsewhere' }, 409);
    return first;
  }
}

/** The entry's own problems, reads that failed, and required columns of its table left empty. */
function entryProblems(entry: Entry, table: Table): Problem[] {
  const found = entry.problems();
  for (const [key, { field }] of entry.form.fields) {
    if (entry.choices(key).status === 'failed') {
      found.push(problem('read_failed', { label: field.label }, key));
    }
  }
  const values = writePlan(entry)[0]?.values ?? {};
  for (const { key, label, required } of table.columns) {
    if (!required || (values[key] ?? null) !== null) continue;
    const path = fieldSaving(entry.form, key) ?? '';
    if (path === '' || !found.some((p) => p.path === path)) {
      found.push(problem('required', { label }, path));
    }
  }
  return found;
}

async function write(
  db: Database,
  trx: Runner,
  tables: Tables,
  entry: Entry,
  submission: string,
  by: string,
): Promise<Receipt> {
  const records: Receipt['records'] = [];
  for (const planned of writePlan(entry)) {
    const table = tableFrom(tables, planned.table);
    const pathOf = (column: string) => fieldSaving(entry.form, column) ?? column;
    const id = await insertRecord(db, trx, table, planned.values, by, pathOf);
    await trx('journal')
      .withSchema(db.catalog)
      .where({ submission })
      .update({ changes: JSON.stringify(planned.values) });
    const shown = (await shownRecord(db, trx, tables, table, id)) ?? '';
    records.push({ table: table.key, title: table.title, id, shown, action: 'inserted' });
  }
  return { submission, records };
}

function refuseUnknownFields(form: WiredForm, values: Readonly<Record<string, unknown>>): void {
  const unknown = Object.keys(values).filter((key) => !form.fields.has(key));
  if (unknown.length === 0) return;
  throw new ProblemError(unknown.map((field) => problem('unknown_field', { field }, field)));
}

function fieldSaving(form: WiredForm, column: string): string | null {
  for (const [key, { field }] of form.fields) if (field.savesTo === column) return key;
  return null;
}
