import { momentOf } from '../database/moments';
import { z } from 'zod';
import type { StoredRecord } from '$lib/core/entry/stored';
import { valueSchema, type Value } from '$lib/core/values/types';
import type { Database, Runner } from '../database/connection';
import { parseJson } from '../database/json';
import { rowsOf, type Bound } from '../database/rows';

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
 * Writes down a save that tells no single records: an import, with how many rows it brought. Its submission is unique.
 */
export async function journalRows(
  db: Database,
  runner: Runner,
  head: SaveHead,
  table: string,
  rows: number,
): Promise<void> {
  await insertRows(db, runner, [
    row(head, { table, record: null, changes: { rows } }, head.submission),
  ]);
}

/**
 * Writes down what a save did: first the record that it is about, which bears the submission, then each other one. The
 * submission is unique: of two saves with the same one the second fails with a duplicate key, and nothing of it stands.
 * It may be the end of its transaction.
 */
export async function journalChanges(
  db: Database,
  runner: Runner,
  head: SaveHead,
  done: readonly RecordChange[],
  about: About,
  more?: { ends: boolean },
): Promise<void> {
  const { first, others } = inOrder(done, about);
  const rows = others.map((change) => row(head, change, null));
  await insertRows(db, runner, [row(head, first, head.submission), ...rows], more);
}

/** What a save is about; no record where it is about several of a table. */
export interface About {
  table: string;
  record: number | null;
}

/** What a save did: first what it is about, changed or not. */
function inOrder(done: readonly RecordChange[], { table, record }: About) {
  const changed =
    record === null ? done[0] : done.find((d) => d.table === table && d.record === record);
  const others = done.filter((change) => change !== changed);
  return { first: changed ?? { table, record, changes: {} }, others };
}

/** The records that a save has changed, in the order in which it is written down. */
export function changedInOrder(done: readonly RecordChange[], about: About): RecordChange[] {
  const { first, others } = inOrder(done, about);
  return 'action' in first ? [first, ...others] : others;
}

/** Writes down a save of one record. */
export async function journalOne(
  db: Database,
  runner: Runner,
  head: SaveHead,
  done: RecordChange,
): Promise<void> {
  await journalChanges(db, runner, head, [done], done);
}

const columns = [
  ...['submission', 'save', 'kind', 'form_key', 'edition', 'table_key', 'record_id', 'action'],
  ...['record_version', 'changes', 'by_person'],
];

type JournalRow = Bound[];

function row(
  head: SaveHead,
  given: About & { changes: Changes } & Partial<Omit<RecordChange, 'record'>>,
  submission: string | null,
): JournalRow {
  return [
    ...[submission, head.submission, head.kind, head.form ?? null, head.edition ?? null],
    ...[given.table, given.record, given.action ?? null, given.version ?? null],
    ...[JSON.stringify(given.changes), head.by],
  ];
}

const mostRows = 500;

/** Plain inserts, each giving a set of rows, so that they may go to the database together with reads. */
async function insertRows(
  db: Database,
  runner: Runner,
  rows: readonly JournalRow[],
  more?: { ends: boolean },
): Promise<void> {
  const marks = `(${columns.map(() => '?').join(', ')})`;
  const chunks: Promise<unknown>[] = [];
  for (let i = 0; i < rows.length; i += mostRows) {
    const some = rows.slice(i, i + mostRows);
    const sql = `insert into \`${db.catalog}\`.journal (${columns.join(', ')}) values ${some.map(() => marks).join(', ')} returning id`;
    chunks.push(rowsOf(runner, sql, some.flat(), more));
  }
  await Promise.all(chunks);
}

/** What an earlier save of a form with this submission did to which records, in order; `null` where there is none. */
export async function savedBefore(
  db: Database,
  form: string,
  submission: string,
): Promise<Activity[] | null> {
  const known = await journal(db, db.knex)
    .where({ submission, form_key: form, kind: 'entry' })
    .first('save');
  return known ? changesOfSave(db, db.knex, submission) : null;
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

/** So many of the newest rows of the journal are looked through for links to a record. */
const mostLookedAt = 50_000;

/** The newest changes of records of a table that linked a record in a column of theirs, or took the link away. */
export async function linkingActivity(
  db: Database,
  wish: { limit: number; table: string; column: string; linked: number },
): Promise<Activity[]> {
  const { limit, table, column, linked } = wish;
  const has = (path: string) => `coalesce(json_contains(j.changes, '${linked}', '$.${path}'), 0)`;
  const sql = `select j.* from \`${db.catalog}\`.journal j force index (primary)
    where j.table_key = ? and j.action is not null
      and (${has(column)} = 1 or ${has(`${column}.before`)} <> ${has(`${column}.after`)})
    order by j.id desc limit ${limit} rows examined ${mostLookedAt}`;
  return (await rowsOf(db.knex, sql, [table])).map(activity);
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
