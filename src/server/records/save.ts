import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import { z } from 'zod';
import { Entry } from '$lib/core/entry/entry';
import { settle } from '$lib/core/entry/settle';
import { recomputed } from '$lib/core/entry/recomputed';
import { isMade, writePlan, type PlannedWrite } from '$lib/core/entry/write-plan';
import { clockFrom } from '$lib/core/formula/clock';
import { fail, problem, ProblemError, type Problem } from '$lib/core/problems';
import { mustBeGiven, type Tables } from '$lib/core/table/definition';
import type { Value } from '$lib/core/values/types';
import type { WiredForm } from '$lib/core/wiring/form';
import { knownEdition } from '../catalog/forms';
import { loadTables, tableFrom } from '../catalog/tables';
import type { Database } from '../database/connection';
import { duplicateIndex } from '../database/errors';
import { databaseReader, knownForm, rowsSchema } from './form-read';
import { completeJournal, findReceipt, writeJournal, type Receipt } from './journal';
import { lockLimits } from './limits';
import { shownRecord } from './read';
import { inTransaction, insertRecord } from './write';

/** What a screen sends to save an entry. */
export const entrySchema = z.strictObject({
  /** Made by the screen once per entry; a retry carries the same. */
  submission: z.string().regex(/^[A-Za-z0-9-]{8,64}$/),
  edition: z.number().int().min(1),
  values: z.record(z.string(), z.unknown()),
  rows: rowsSchema.default({}),
});
export type EntryRequest = z.infer<typeof entrySchema>;

/** Saves an entry: all of it or nothing, and once. Fails with all problems by field. */
export async function saveEntry(
  db: Database,
  formKey: string,
  request: Omit<EntryRequest, 'rows'> & Partial<EntryRequest>,
  by: string,
): Promise<Receipt> {
  const tables = await loadTables(db);
  const { form: head, plan } = await knownEdition(db, tables, formKey, request.edition);
  const earlier = await findReceipt(db, db.knex, head.key, request.submission);
  if (earlier) return earlier;
  const form = knownForm(plan, tables);
  refuseUnknownFields(form, request);
  const written = { form: head.key, edition: request.edition, by };
  try {
    return await inTransaction(db, async (trx) => {
      // First, so that a repeated submission waits here for the first one to end.
      const { submission } = request;
      const row = { submission, kind: 'entry' as const, table: plan.table, changes: {} };
      await writeJournal(db, trx, { ...row, ...written });
      const entry = await openEntry(db, trx, tables, form, request, by);
      const problems = entryProblems(entry, request, tables);
      if (problems.length > 0) throw new ProblemError(problems);
      const receipt = await write(db, trx, tables, entry, { submission, ...written });
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

/** Works the submission out anew; what its limits depend on is locked and then read once more. */
async function openEntry(
  db: Database,
  trx: Knex.Transaction,
  tables: Tables,
  form: WiredForm,
  { values, rows }: Pick<EntryRequest, 'values'> & Partial<EntryRequest>,
  person: string,
): Promise<Entry> {
  const around = { clock: clockFrom(() => new Date()), person };
  const entry = new Entry(form, { mode: 'resumed', values, rows, around });
  const reader = databaseReader(db, trx, tables, form);
  await settle(entry, reader);
  if ((await lockLimits(db, trx, entry)) > 0) {
    entry.refresh();
    await settle(entry, reader);
  }
  return entry;
}

/** The entry's own problems, reads that failed, computed values that changed, required columns left empty. */
function entryProblems(
  entry: Entry,
  request: Pick<EntryRequest, 'values'> & Partial<EntryRequest>,
  tables: Tables,
): Problem[] {
  const found = entry.problems();
  for (const [key, { field }] of entry.form.fields) {
    if (entry.choices(key).status === 'failed') {
      found.push(problem('read_failed', { label: field.label }, key));
    }
  }
  found.push(...recomputed(entry, request.values, request.rows ?? {}));
  for (const { table: key, values, path } of writePlan(entry)) {
    for (const column of tableFrom(tables, key).columns) {
      if (!mustBeGiven(column) || (values[column.key] ?? null) !== null) continue;
      const { label } = column;
      const at = fieldPath(entry.form, key, path, column.key);
      if (at === path || !found.some((p) => p.path === at)) {
        found.push(problem('required', { label }, at));
      }
    }
  }
  return found;
}

async function write(
  db: Database,
  trx: Knex.Transaction,
  tables: Tables,
  entry: Entry,
  head: { submission: string; form: string; edition: number; by: string },
): Promise<Receipt> {
  const records: Receipt['records'] = [];
  for (const planned of writePlan(entry)) {
    const table = tableFrom(tables, planned.table);
    const values = linked(planned, records);
    const pathOf = (column: string) => fieldPath(entry.form, table.key, planned.path, column);
    const id = await insertRecord(db, trx, table, values, head.by, pathOf);
    if (records.length === 0) {
      await trx('journal')
        .withSchema(db.catalog)
        .where({ submission: head.submission })
        .update({ changes: JSON.stringify(values) });
    } else {
      const row = { kind: 'entry' as const, table: table.key, record: id, changes: values };
      await writeJournal(db, trx, { ...head, ...row, submission: randomUUID() });
    }
    const shown = (await shownRecord(db, trx, tables, table, id)) ?? '';
    records.push({ table: table.key, title: table.title, id, shown, action: 'inserted' });
  }
  return { submission: head.submission, records };
}

/** The values of a planned record, the records made before it in their places. */
function linked(planned: PlannedWrite, made: Receipt['records']): Record<string, Value> {
  return Object.fromEntries(
    Object.entries(planned.values).map(([column, value]) => {
      return [column, isMade(value) ? (made[value.madeBy]?.id ?? null) : value];
    }),
  );
}

function refuseUnknownFields(
  form: WiredForm,
  { values, rows }: Pick<EntryRequest, 'values'> & Partial<EntryRequest>,
): void {
  const unknown = Object.keys(values).filter((key) => !form.fields.has(key));
  for (const [grid, list] of Object.entries(rows ?? {})) {
    const scope = grid === '' ? undefined : form.scopes.get(grid);
    if (!scope) unknown.push(grid);
    else
      unknown.push(
        ...list.flatMap((row) => Object.keys(row.values).filter((key) => !scope.fields.has(key))),
      );
  }
  if (unknown.length === 0) return;
  throw new ProblemError(unknown.map((field) => problem('unknown_field', { field }, field)));
}

/** Where a problem with a column belongs: at the field that saves to it, or else at the whole. */
function fieldPath(form: WiredForm, table: string, path: string, column: string): string {
  const grid = /^(\w+)\[/.exec(path)?.[1] ?? '';
  const scope = form.scopes.get(grid);
  if (scope?.table !== table) return path;
  for (const { field } of scope.list) {
    if (field.savesTo === column) return path === '' ? field.key : `${path}.${field.key}`;
  }
  return path;
}
