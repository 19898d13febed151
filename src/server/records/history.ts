import { randomUUID } from 'node:crypto';
import type { Knex } from 'knex';
import type { ActOnTable } from '$lib/core/access/role';
import { fail, problem, ProblemError, type Problem } from '$lib/core/problems';
import type { Table, House } from '$lib/core/table/definition';
import { otherSide } from '$lib/core/table/links';
import { keptText } from '$lib/core/values/kept-text';
import { checkValue } from '$lib/core/values/parse';
import { idsOf, sameValue, type Value } from '$lib/core/values/types';
import { reader as readerNow } from '$lib/core/words/reader';
import { tableFrom } from '../catalog/tables';
import type { Database, Runner } from '../database/connection';
import {
  changesOfSave,
  isChange,
  journalChanges,
  linkingActivity,
  listActivity,
  valuesBefore,
  type Activity,
  type Changes,
  type RecordChange,
} from './journal';
import type { Receipt, RecordRow } from '../../core/contract/answers';
import { keepingChecks, type WrittenRecord } from './checks-around';
import { readStored } from './stored';
import { shownRecords } from './read';
import { seenIds } from './sight';
import { insertRecords, removeRecord, updateRecord } from './statements';
import { countUndone } from './taken';
import { inTransaction } from '../database/transaction';
import { changeRecord, changesOf } from './write';

/** A step in the history of a record, with the columns that it changed as people read them. */
export interface HistoryStep extends Omit<Activity, 'changes'> {
  columns: { key: string; before: Value; after: Value }[];
  /** Whether the record can be put back to how this step left it. */
  restorable: boolean;
}

/** A record's history, newest first, with how its references are shown to people. */
export interface History {
  steps: HistoryStep[];
  /** Records that the values name, in one line each, by table and id: `score 31`. */
  shown: Record<string, string>;
}

const mostSteps = 200;

/** What happened to a record: who, when, with which form, which values. */
export async function historyOf(
  db: Database,
  tables: House,
  table: Table,
  record: RecordRow | { id: number; values: null },
): Promise<History> {
  const rows = await listActivity(db, { limit: mostSteps, table: table.key, record: record.id });
  const own = rows
    .filter(({ action }) => action !== null)
    .map(({ changes, ...row }, i): HistoryStep => {
      return {
        ...row,
        columns: columnsOf(table, row.action, changes),
        restorable: i > 0 && record.values !== null && row.action !== 'delete',
      };
    });
  const linked = await linkedSteps(db, tables, table, record.id);
  const steps = [...own, ...linked].sort((a, b) => b.id - a.id).slice(0, mostSteps);
  return { steps, shown: await namedIn(db, db.knex, tables, table, steps) };
}

/** Steps in which other records were linked with a record, or no longer, from their side. */
async function linkedSteps(
  db: Database,
  tables: House,
  table: Table,
  id: number,
): Promise<HistoryStep[]> {
  const found = table.columns.map(async (column): Promise<HistoryStep[]> => {
    const other = otherSide(tables.whole, table.key, column);
    if (!other) return [];
    const wish = { limit: mostSteps, table: other.table, column: other.column.key, linked: id };
    const rows = await linkingActivity(db, wish);
    const ids = rows.flatMap(({ record }) => record ?? []);
    const seen = await seenIds(db, db.knex, tables, other.table, [...new Set(ids)]);
    return rows.flatMap(({ changes, record, ...row }): HistoryStep[] => {
      if (record === null || !seen.has(record)) return [];
      const change = changes[other.column.key] ?? null;
      const after = isChange(change) ? change.after : row.action === 'delete' ? null : change;
      const made = idsOf(after).includes(id);
      const [before, now] = made ? [null, [record]] : [[record], null];
      const columns = [{ key: column.key, before, after: now }];
      return [{ ...row, record, action: 'update', columns, restorable: false }];
    });
  });
  return (await Promise.all(found)).flat();
}

function columnsOf(table: Table, action: Activity['action'], changes: Changes) {
  return table.columns.flatMap(({ key }) => {
    const change = changes[key];
    if (change === undefined || change === null) return [];
    if (isChange(change)) return [{ key, ...change }];
    return [
      action === 'delete'
        ? { key, before: change, after: null }
        : { key, before: null, after: change },
    ];
  });
}

async function namedIn(
  db: Database,
  runner: Runner,
  tables: House,
  table: Table,
  steps: readonly HistoryStep[],
): Promise<Record<string, string>> {
  const shown: Record<string, string> = {};
  for (const { key, type } of table.columns) {
    if (type.kind !== 'reference' && type.kind !== 'references') continue;
    const values = steps.flatMap(({ columns }) =>
      columns
        .filter((c) => c.key === key)
        .flatMap(({ before, after }) =>
          [before, after].flatMap((v): readonly Value[] =>
            type.kind === 'references' ? idsOf(v) : [v],
          ),
        ),
    );
    const ids = [...new Set(values.filter((value) => typeof value === 'number'))];
    const lines = await shownRecords(db, runner, tables, tableFrom(tables.whole, type.table), ids);
    for (const [id, line] of lines) shown[`${type.table} ${id}`] = line;
  }
  return shown;
}

/** Puts a record back to how a step of its history left it, as a new save. */
export async function restoreRecord(
  db: Database,
  tables: House,
  table: Table,
  wish: { id: number; version: number; step: number },
  by: string,
): Promise<RecordRow> {
  const { id, version, step } = wish;
  const rows = await listActivity(db, { limit: mostSteps, table: table.key, record: id });
  const at = rows.findIndex((row) => row.id === step && row.action !== null);
  const [stored] = await readStored(db, db.knex, tables, table, { column: 'id', is: [id] });
  if (at === -1 || !stored)
    return fail('unknown_record', { id: String(id), table: table.title }, 404);
  const was = valuesBefore(stored.values, rows.slice(0, at));
  const misfits: Problem[] = [];
  // Columns that have been removed since, or were added later, stay as they are.
  const values = Object.fromEntries(
    table.columns.flatMap(({ key, label, type }): [string, Value][] => {
      if (tables.sight?.get(table.key)?.shut.has(key)) return [];
      const value = was[key] ?? null;
      if (sameValue(value, stored.values[key] ?? null)) return [];
      if ('problem' in checkValue(type, value, label)) {
        const given = keptText(type, value, readerNow());
        misfits.push(problem('was_other_type', { label, given }, key));
      }
      return [[key, value]];
    }),
  );
  if (misfits.length > 0) throw new ProblemError(misfits);
  return changeRecord(db, tables, table, id, version, values, by, 'restore');
}

/**
 * Undoes a whole save as a new one: what it added goes, what it changed becomes what it was, what it
 * deleted comes back. Refused where anything of it has been changed since.
 */
export async function undoSave(
  db: Database,
  tables: House,
  save: string,
  by: string,
  /** Whether they may do this to records of a table, where it was not they who saved. */
  may: (table: string, deed: ActOnTable) => boolean = () => true,
): Promise<Receipt> {
  const { whole } = tables;
  return inTransaction(db, async (trx) => {
    const rows = (await changesOfSave(db, trx, save)).filter(
      ({ action, record }) => action !== null && record !== null,
    );
    const [first] = rows;
    if (!first || first.kind === 'import') return fail('nothing_to_undo', {}, 409);
    await refuseForeign(db, trx, tables, rows);
    const allowed = rows.every(({ table, action }) => may(table, undoing[action ?? 'update']));
    if (first.by !== by && !allowed) fail('not_allowed', {}, 403);
    await refuseChanged(db, trx, whole, rows);
    const form = first.form ?? undefined;
    const head = { submission: randomUUID(), kind: 'undo' as const, by, form };
    if (form !== undefined) await countBack(db, trx, form, first);
    const written = reversed(whole, rows);
    const done = await keepingChecks(db, trx, whole, written, by, () =>
      reverse(db, trx, whole, rows, by),
    );
    await journalChanges(db, trx, head, done, { table: first.table, record: first.record });
    const records = done.map(({ table: key, record, action }) => {
      const { title } = tableFrom(whole, key);
      const words = { insert: 'inserted', update: 'changed', delete: 'deleted' } as const;
      return { table: key, title, id: record, shown: `${title} ${record}`, action: words[action] };
    });
    return { submission: head.submission, records };
  });
}

/** What a form took and gives up again: the new record of an entry, and one that comes back. */
async function countBack(
  db: Database,
  trx: Knex.Transaction,
  form: string,
  { kind, action, by }: Activity,
): Promise<void> {
  if (kind === 'entry' && action === 'insert') await countUndone(db, trx, form, by, -1);
  if (kind === 'undo' && action === 'delete') await countUndone(db, trx, form, null, 1);
  if (kind === 'undo' && action === 'insert') await countUndone(db, trx, form, null, -1);
}

/** What undoing does to a record. */
const undoing = { insert: 'remove', update: 'change', delete: 'add' } as const;

/** A save that touched a record out of sight is not there to be undone. */
async function refuseForeign(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  rows: readonly Activity[],
): Promise<void> {
  for (const { table, record, action } of rows) {
    if (action === 'delete' || record === null) continue;
    const seen = await seenIds(db, trx, tables, table, [record]);
    if (!seen.has(record)) fail('nothing_to_undo', {}, 409);
  }
}

/** Fails where a record is not as the save left it. */
async function refuseChanged(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  rows: readonly Activity[],
): Promise<void> {
  for (const { table: key, record, action, version } of rows) {
    const table = tableFrom(tables, key);
    const wish = { column: 'id', is: [record ?? 0] };
    const [now] = await readStored(db, trx, tables, table, wish, 'held');
    const same = action === 'delete' ? now === undefined : now?.version === version;
    if (!same) fail('undo_too_late', { what: `${table.title} ${record}` }, 409);
  }
}

/** What undoing writes, as records before and after it. */
function reversed(tables: House, rows: readonly Activity[]): WrittenRecord[] {
  return rows.map(({ table: key, record, action, changes }) => {
    const table = tableFrom(tables, key);
    const [was, is] = [plainValues(table, changes, 'before'), plainValues(table, changes, 'after')];
    const [before, after] = [action === 'delete' ? null : is, action === 'insert' ? null : was];
    return { table: key, id: record ?? 0, before, after };
  });
}

/** What was deleted comes back first, what was added goes last, children before their parents. */
async function reverse(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  rows: readonly Activity[],
  by: string,
): Promise<RecordChange[]> {
  const done: RecordChange[] = [];
  const of = (action: Activity['action']) => rows.filter((row) => row.action === action);
  for (const { table: key, record, changes } of of('delete')) {
    const table = tableFrom(tables, key);
    const values = plainValues(table, changes);
    const id = record ?? 0;
    const pathOf = () => '';
    await insertRecords(db, trx, table, [{ id, values, pathOf }], by);
    done.push({ table: key, record: id, action: 'insert', version: 1, changes: values });
  }
  for (const { table: key, record, changes } of of('update')) {
    const table = tableFrom(tables, key);
    const id = record ?? 0;
    const now = plainValues(table, changes, 'after');
    const values = plainValues(table, changes, 'before');
    const version = await updateRecord(db, trx, table, { id, version: null, values, by });
    done.push({
      table: key,
      record: id,
      action: 'update',
      version,
      changes: changesOf(now, values),
    });
  }
  for (const { table: key, record, changes } of of('insert').toReversed()) {
    const table = tableFrom(tables, key);
    const id = record ?? 0;
    await removeRecord(db, trx, tables, table, { id, version: null });
    const values = plainValues(table, changes);
    done.push({ table: key, record: id, action: 'delete', version: null, changes: values });
  }
  return done;
}

function plainValues(
  table: Table,
  changes: Changes,
  side: 'before' | 'after' = 'before',
): Record<string, Value> {
  return Object.fromEntries(
    table.columns.flatMap(({ key }): [string, Value][] => {
      const change = changes[key];
      if (change === undefined) return [];
      return [[key, isChange(change) ? change[side] : change]];
    }),
  );
}
