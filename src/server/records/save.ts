import type { Knex } from 'knex';
import { z } from 'zod';
import { newBeginning, type Beginning, openedBeginning } from '$lib/core/entry/beginning';
import { Entry } from '$lib/core/entry/entry';
import { entryShape, rowStateSchema, type Filled } from '$lib/core/entry/filled';
import { isAsStored } from '$lib/core/entry/entry-problems';
import { planSave } from '$lib/core/entry/all-problems';
import { settle } from '$lib/core/entry/settle';
import { recomputed } from '$lib/core/entry/recomputed';
import type { PlannedWrite } from '$lib/core/entry/planned-write';
import { rowKey, type OpenedRecord } from '$lib/core/entry/stored';
import { clockFrom } from '$lib/core/formula/clock';
import type { PersonFacts } from '$lib/core/entry/person';
import { askedHashesSchema } from '$lib/core/plan/asked-sheet';
import { fail, problem, ProblemError, type Problem } from '$lib/core/problems';
import { readsOutside } from '$lib/core/wiring/wired';
import type { House } from '$lib/core/table/definition';
import type { WiredForm } from '$lib/core/wiring/form';
import { isNeeded } from '$lib/core/wiring/needed';
import { knownEdition } from '../catalog/forms';
import { loadTables, tableFrom } from '../catalog/tables';
import type { Database } from '../database/connection';
import { duplicateIndex } from '../database/errors';
import { noteMails, noteSends } from '../outside/outbox';
import { applyPlan, findReceipt, missingColumns } from './apply';
import { conflictOf, filledOf, foreignRows, isUnchanged, type OpenedAt } from './conflicts';
import { rememberedOutside, unanswered, type OutsideReader } from './form-outside';
import { askedProblems, keepSheet, sheetAsked, standingQuestions } from './answered';
import { askedForm } from './questions';
import { countTaken, refuseClosed } from './taken';
import { countUse } from './form-uses';
import { knownForm } from './wired';
import { databaseReader } from './answers';
import { changesSince } from './journal';
import type { Receipt } from '../../core/contract/answers';
import { isClustered } from '../database/lock-rows';
import { lockLimits } from './limits';
import { mostRows } from '$lib/core/entry/rows';
import { openRecord } from './open';
import { inTransaction } from '../database/transaction';

const versionSchema = z.number().int().min(1);
const idSchema = z.number().int().min(1);

/** What a screen sends to save an entry. */
export const entrySchema = z.strictObject({
  /** Made by the screen once per entry; a retry carries the same. */
  submission: z.string().regex(/^[A-Za-z0-9-]{8,64}$/),
  edition: z.number().int().min(1),
  /** The questions that were asked, by section; those that the values ask for, where it does not say. */
  asked: askedHashesSchema.optional(),
  /** The record that is changed, at the version at which it was opened. */
  record: z.strictObject({ id: idSchema, version: versionSchema }).optional(),
  ...entryShape,
  /** New rows, and all stored ones: changed, as they were, or removed. */
  rows: z
    .record(
      z.string().max(48),
      z
        .array(
          rowStateSchema.extend({
            version: versionSchema.optional(),
            removed: z.boolean().optional(),
          }),
        )
        .max(mostRows),
    )
    .default({}),
});
export type EntryRequest = z.infer<typeof entrySchema>;
type Request = Omit<EntryRequest, 'rows'> & Partial<EntryRequest>;

/** What may belong to a save besides. */
interface SaveMore {
  /** Done in its transaction, on its one connection. */
  inside?: (trx: Knex.Transaction) => Promise<void>;
  /** What the form's formulas know of whoever saves; the name alone where it is not said. */
  person?: PersonFacts;
  /** The house as whoever saves sees it: what they could choose. All of it where it is not said. */
  house?: House;
  /** Whether a guest saves: nobody in particular. */
  guest?: boolean;
}

/** Saves an entry: all of it or nothing, and once. Fails with all problems by field. */
export async function saveEntry(
  db: Database,
  formKey: string,
  request: Request,
  by: string,
  { inside = async () => undefined, house, person = { name: by }, guest = false }: SaveMore = {},
): Promise<Receipt> {
  const seen = house ?? (await loadTables(db));
  const tables = seen.whole;
  const { form: head, plan } = await knownEdition(db, tables, formKey, request.edition);
  const before = request.record ? await sheetAsked(db, db.knex, plan, request.record.id) : {};
  const asked = await askedForm(db, tables, plan, {
    asked: { ...before, ...request.asked },
    values: request.values,
  });
  const form = knownForm(asked.plan, tables);
  // A repeated submission finds the first one by its own first row; only systems outside are asked before that.
  const earlier = asksAnyOutside(form)
    ? await findReceipt(db, seen, head.key, request.submission)
    : null;
  if (earlier) return receiptFor(form, earlier, guest);
  if (plan.through) fail('through_none', {}, 409);
  refuseClosed(plan);
  refuseUnknownFields(form, request);
  refuseStrayRows(form, request);
  const outside = rememberedOutside(db, tables);
  await askOutsideFirst(db, seen, form, request, person, outside.asks);
  const { submission, edition } = request;
  const save = { submission, kind: 'entry' as const, form: head.key, edition, by };
  try {
    const receipt = await inTransaction(db, async (trx) => {
      await inside(trx);
      if (!request.record) await countTaken(db, trx, head.key, plan, guest ? null : by);
      const entry = await openEntry(db, trx, seen, form, request, person, outside.recalls);
      const { writes, sends, mails, problems: own } = planSave(entry);
      const problems = entryProblems(entry, writes, own, request, tables);
      problems.push(...(await askedProblems(db, trx, entry, asked, before)));
      if (problems.length > 0) throw new ProblemError(problems);
      const standing = await standingQuestions(db, trx, tables, plan, writes);
      const besides = async (record: number) => {
        await keepSheet(db, trx, plan, record, asked.sets);
        const told = { submission, form: head.key, by };
        await noteSends(db, trx, sends, told);
        await noteMails(db, trx, mails, told);
      };
      return applyPlan(db, trx, tables, entry, standing, save, seen, besides);
    });
    countUse(db, head.key, by);
    return receiptFor(form, receipt, guest);
  } catch (error) {
    // A repeated submission finds the first one: where it was written down, or in what it has changed.
    const isRefused = error instanceof ProblemError;
    if (!isRefused && duplicateIndex(error) === null) throw error;
    const first = await findReceipt(db, seen, head.key, submission);
    if (first) return receiptFor(form, first, guest);
    if (isRefused) throw error;
    return fail('bad_request', { reason: 'the submission is used elsewhere' }, 409);
  }
}

/** What is told of a save: a guest learns of the records that stand in the form, and of no others that it wrote. */
function receiptFor(form: WiredForm, receipt: Receipt, guest: boolean): Receipt {
  if (!guest) return receipt;
  const own = new Set([...form.scopes.values()].map(({ table }) => table));
  return { ...receipt, records: receipt.records.filter(({ table }) => own.has(table)) };
}

/**
 * Asks the systems outside that a submission depends on, so that their answers are at hand in the
 * transaction, which waits for none of them. One that fails is told when the submission is worked out.
 */
async function askOutsideFirst(
  db: Database,
  tables: House,
  form: WiredForm,
  request: Request,
  person: PersonFacts,
  outside: OutsideReader,
): Promise<void> {
  if (!asksAnyOutside(form)) return;
  const needed: OutsideReader = async (ask, wired) =>
    isNeeded(form, wired) ? outside(ask, wired) : unanswered(ask, wired);
  await workedOut(db, tables, form, filledOf(request), person, needed, request.link);
}

function asksAnyOutside(form: WiredForm): boolean {
  return [...form.scopes.values()].some(({ list }) => list.some(readsOutside));
}

/** An entry worked out from what a screen has sent, with everything read that it asks for. */
export async function workedOut(
  db: Database,
  tables: House,
  form: WiredForm,
  filled: Filled,
  person: PersonFacts,
  outside?: OutsideReader,
  link: Readonly<Record<string, string>> = {},
): Promise<Entry> {
  const around = { clock: clockFrom(() => new Date()), person, link };
  const entry = new Entry(form, { ...newBeginning(filled), around });
  await settle(entry, databaseReader(db, db.knex, tables, form, 'confirm', outside));
  return entry;
}

/** Works the submission out anew; what its limits depend on is locked and then read once more. */
async function openEntry(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  form: WiredForm,
  request: Request,
  person: PersonFacts,
  outside: OutsideReader,
): Promise<Entry> {
  const around = { clock: clockFrom(() => new Date()), person, link: request.link ?? {} };
  const entry = request.record
    ? await openStored(db, trx, tables, form, { ...request, record: request.record }, around)
    : new Entry(form, { ...newBeginning(newFilled(request)), around });
  const reader = databaseReader(db, trx, tables, form, 'confirm', outside);
  // Most of what limits depend on is known from what was sent: it is locked before anything is read, in one trip.
  const locks = { held: new Set<string>(), clustered: await isClustered(db, trx) };
  await Promise.all([...lockLimits(db, trx, entry, locks), settle(entry, reader)]);
  const further = lockLimits(db, trx, entry, locks);
  if (further.length > 0) {
    entry.refresh();
    await Promise.all([...further, settle(entry, reader)]);
  }
  return entry;
}

/** Opens the stored record as it is now, if it is as the person saw it, with what the person made of it. */
async function openStored(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  form: WiredForm,
  request: Request & { record: { id: number; version: number } },
  around: Beginning['around'],
): Promise<Entry> {
  const now = await openRecord(db, trx, tables, form, request.record.id, 'held');
  if (!now) return refuseDeleted(db, trx, tables, form, request.record.id);
  const { record, rows = {} } = request;
  const filled = filledOf(request);
  const at: OpenedAt = { record, rows: versionsOf(rows) };
  if (!isUnchanged(now, at)) {
    await refuseForeignRows(db, trx, form, now, at, rows);
    throw await conflictOf(db, trx, tables, form, now, at, filled);
  }
  return new Entry(form, { ...openedBeginning(now), filled, around });
}

type Rows = NonNullable<Request['rows']>;

/** The stored rows of a submission with the versions at which they were seen. */
function versionsOf(rows: Rows): OpenedAt['rows'] {
  return Object.fromEntries(
    Object.entries(rows).map(([grid, list]) => [
      grid,
      list.flatMap(({ id, version }) => (id === undefined ? [] : [{ id, version: version ?? 0 }])),
    ]),
  );
}

/** Refuses rows that neither are nor were rows of the record: somebody else's, or made up. */
async function refuseForeignRows(
  db: Database,
  trx: Knex.Transaction,
  form: WiredForm,
  now: OpenedRecord,
  at: OpenedAt,
  rows: Rows,
): Promise<void> {
  const foreign = await foreignRows(db, trx, form, now, at);
  const problems = foreign.map(({ grid, id }) => {
    const label = form.scopes.get(grid)?.title ?? grid;
    const place = rows[grid]?.findIndex((row) => row.id === id) ?? 0;
    return problem('rows_gone', { label }, `${grid}[${place}]`);
  });
  if (problems.length > 0) throw new ProblemError(problems);
}

async function refuseDeleted(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  form: WiredForm,
  id: number,
): Promise<never> {
  const { key, title } = tableFrom(tables, form.plan.table);
  const [last] = await changesSince(db, trx, key, [{ id, version: Infinity }]);
  if (!last) return fail('unknown_record', { id: String(id), table: title }, 404);
  return fail('deleted_meanwhile', { table: title, by: last.by }, 409);
}

/** Refuses rows that are sent twice, stand in no row of the grid around theirs, or say so where there is none. */
function refuseStrayRows(form: WiredForm, { rows = {} }: Request): void {
  const problems: Problem[] = [];
  for (const [grid, list] of Object.entries(rows)) {
    const scope = form.scopes.get(grid);
    const within = scope?.within ?? null;
    const around = within === null ? [] : (rows[within] ?? []).filter((row) => !row.removed);
    const sent = list.map(({ id, key }) => (id === undefined ? key : rowKey({ id })));
    const seen = new Set<string>();
    const twice = sent.findIndex((key) => key !== undefined && seen.size === seen.add(key).size);
    if (twice !== -1) fail('rows_twice', { label: scope?.title ?? grid }, 422, `${grid}[${twice}]`);
    const keys = new Set(around.map(({ key, id }) => (id === undefined ? key : rowKey({ id }))));
    list.forEach(({ of, removed }, i) => {
      const stands = within === null ? of === undefined : keys.has(of) || removed === true;
      if (stands) return;
      problems.push(problem('rows_gone', { label: scope?.title ?? grid }, `${grid}[${i}]`));
    });
  }
  if (problems.length > 0) throw new ProblemError(problems);
}

/** What somebody has sent, as the filling of a new record. Refuses fields and rows that the form has not. */
export function filledAsNew(form: WiredForm, request: Request): Filled {
  refuseUnknownFields(form, request);
  refuseStrayRows(form, request);
  return newFilled(request);
}

/** What a new record was filled with; none of its rows can be stored already. */
function newFilled(request: Request): Filled {
  const { rows = {} } = request;
  for (const [grid, list] of Object.entries(rows)) {
    const i = list.findIndex(({ id, removed }) => id !== undefined || removed === true);
    if (i !== -1) fail('rows_gone', { label: grid }, 422, `${grid}[${i}]`);
  }
  return filledOf(request);
}

/** The entry's own problems, reads that failed, computed values that changed, required columns left empty. */
function entryProblems(
  entry: Entry,
  plan: readonly PlannedWrite[],
  own: readonly Problem[],
  request: Request,
  tables: House,
): Problem[] {
  const found = [...own, ...unconfirmed(entry)];
  found.push(...recomputed(entry, filledOf(request)));
  for (const { path, label } of missingColumns(entry, plan, tables)) {
    if (!found.some((p) => p.path === path)) found.push(problem('required', { label }, path));
  }
  return found;
}

/** Values whose list could not be read, so that nobody knows whether they are offered. */
function unconfirmed(entry: Entry): Problem[] {
  const found: Problem[] = [];
  for (const [grid, scope] of entry.form.scopes) {
    const rows = grid === '' ? [entry.root] : entry.rows(grid);
    rows.forEach((row, i) => {
      for (const { field, sources } of scope.list) {
        const cell = entry.cell(field.key, row);
        if (cell.choices.status !== 'failed' || cell.value === null) continue;
        // What is not saved, or stored already and not touched, does not wait for a system outside.
        const asStored = field.savesTo === null || isAsStored(cell);
        if (asStored && sources.list?.whenFailed === 'absent') continue;
        const path = grid === '' ? field.key : `${grid}[${i}].${field.key}`;
        found.push({ ...cell.choices.problem, path });
      }
    });
  }
  return found;
}

function refuseUnknownFields(form: WiredForm, { values, rows = {} }: Request): void {
  const unknown = Object.keys(values).filter((key) => !form.fields.has(key));
  for (const [grid, list] of Object.entries(rows)) {
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
