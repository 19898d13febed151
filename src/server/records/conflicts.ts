import type { Knex } from 'knex';
import type { Filled, FilledRow, HostFilled } from '$lib/core/entry/filled';
import { compareChanges } from '$lib/core/entry/merge';
import {
  fieldValues,
  scopeIn,
  type OpenedRecord,
  type OpenedRow,
  type StoredRecord,
} from '$lib/core/entry/stored';
import { problem, ProblemError } from '$lib/core/problems';
import { idsOf, isLink, type Value } from '$lib/core/values/types';
import type { House } from '$lib/core/table/definition';
import type { WiredForm } from '$lib/core/wiring/form';
import { tableFrom } from '../catalog/tables';
import type { Database } from '../database/connection';
import { shownRecords } from './read';
import { changesSince, isChange, valuesBefore, type Activity } from './journal';

/** A column, or a row as a whole, that another person has changed since the form was opened. */
export interface ColumnConflict {
  table: string;
  id: number;
  /** `null` where a whole row came or went. */
  column: string | null;
  kind: 'changed' | 'added' | 'gone' | 'left';
  /** Whether your change meets theirs; otherwise theirs can be taken as it is. */
  meets: boolean;
  yours: Value;
  theirs: Value;
  base: Value;
  by: string;
  at: string | null;
}

/** Another person has saved the same record meanwhile: both sides, and the record as it is now. */
export class ConflictError extends ProblemError {
  constructor(
    by: string,
    readonly conflicts: readonly ColumnConflict[],
    readonly now: OpenedRecord,
    /** The records that are named, in one line each, by table and id: `score 31`. */
    readonly shown: Readonly<Record<string, string>>,
  ) {
    super(problem('changed_meanwhile', { by }), 409);
    this.name = 'ConflictError';
  }
}

/** The versions at which somebody has opened a record and its rows. */
export interface OpenedAt {
  record: { id: number; version: number };
  rows: Readonly<Record<string, readonly { id: number; version: number }[]>>;
}

/** Whether a record and its rows are still as somebody has opened them. */
export function isUnchanged(now: OpenedRecord, at: OpenedAt): boolean {
  if (now.stored.version !== at.record.version) return false;
  return Object.entries(now.rows).every(([grid, rows]) => {
    const known = new Map((at.rows[grid] ?? []).map(({ id, version }) => [id, version]));
    const same = rows.every(({ stored }) => known.get(stored.id) === stored.version);
    return same && known.size === rows.length;
  });
}

/** The rows that a person names as rows of a record and that never were. */
export async function foreignRows(
  db: Database,
  trx: Knex.Transaction,
  form: WiredForm,
  now: OpenedRecord,
  at: OpenedAt,
): Promise<{ grid: string; id: number }[]> {
  const foreign: { grid: string; id: number }[] = [];
  for (const [grid, known] of Object.entries(at.rows)) {
    const { table, link, within } = scopeIn(form, grid);
    const outer = (now.rows[within ?? ''] ?? []).map(({ stored }) => stored.id);
    const around = new Set(
      within === null
        ? [now.stored.id]
        : // Rows that were taken out meanwhile took theirs along.
          [...outer, ...(at.rows[within] ?? []).map(({ id }) => id)],
    );
    const there = new Set((now.rows[grid] ?? []).map(({ stored }) => stored.id));
    const missing = known.filter(({ id }) => !there.has(id));
    const changes = await changesSince(db, trx, table, missing);
    for (const { id } of missing) {
      const left = changes.some(({ record, changes }) => {
        const was = changes[link ?? ''] ?? null;
        return record === id && around.has(Number(isChange(was) ? was.before : was));
      });
      if (!left) foreign.push({ grid, id });
    }
  }
  return foreign;
}

/**
 * Lays what a person has filled beside what the record has become. What it was when it was opened is
 * told by the journal, not by the person.
 */
export async function conflictOf(
  db: Database,
  trx: Knex.Transaction,
  /** The house as whoever saves sees it: only records in it are named. */
  seen: House,
  form: WiredForm,
  now: OpenedRecord,
  at: OpenedAt,
  filled: Filled,
): Promise<ConflictError> {
  const since: Activity[] = [];
  const base = await baseOf(db, trx, form, now, at, since);
  const { conflicts, elsewhere } = compareChanges(form, base, filled, now);
  const made = (
    grid: string,
    id: number,
    column: string | null,
  ): Pick<ColumnConflict, 'by' | 'at'> => {
    const { table } = scopeIn(form, grid);
    const touched = since.filter((row) => row.table === table && row.record === id);
    const found = touched.find(({ changes }) => column === null || column in changes);
    const { by, at: when } = found ?? touched[0] ?? since[0] ?? { by: 'somebody', at: null };
    return { by, at: when };
  };
  const columnOf = (grid: string, field: string) =>
    scopeIn(form, grid).fields.get(field)?.field.savesTo ?? field;
  const told: ColumnConflict[] = [];
  for (const { grid, id, kind, fields } of conflicts) {
    if (fields.length === 0) {
      const place = { table: scopeIn(form, grid).table, id, column: null, kind, meets: true };
      told.push({ ...place, yours: null, theirs: null, base: null, ...made(grid, id, null) });
    }
    for (const { field, base: was, yours, theirs } of fields) {
      const column = columnOf(grid, field);
      const place = { table: scopeIn(form, grid).table, id, column, kind, meets: true };
      told.push({ ...place, yours, theirs, base: was, ...made(grid, id, column) });
    }
  }
  for (const { grid, id, kind, fields } of elsewhere) {
    const place = { table: scopeIn(form, grid).table, id, kind, meets: false };
    if (fields.length === 0) {
      const none = { column: null, yours: null, theirs: null, base: null };
      told.push({ ...place, ...none, ...made(grid, id, null) });
    }
    for (const { field, before, now: theirs } of fields) {
      const column = columnOf(grid, field);
      told.push({
        ...place,
        column,
        yours: before,
        theirs,
        base: before,
        ...made(grid, id, column),
      });
    }
  }
  const shown = await shownIn(db, trx, seen, told);
  return new ConflictError(told[0]?.by ?? since[0]?.by ?? 'somebody', told, now, shown);
}

/** How the records that conflicts name are shown to people; those out of sight have no name. */
async function shownIn(
  db: Database,
  trx: Knex.Transaction,
  tables: House,
  told: readonly ColumnConflict[],
): Promise<Record<string, string>> {
  const named = new Map<string, Set<number>>();
  const name = (table: string, ids: readonly number[]) => {
    const known = named.get(table) ?? new Set();
    named.set(table, new Set([...known, ...ids]));
  };
  for (const { table, id, column, base, yours, theirs } of told) {
    name(table, [id]);
    const type = tables.whole.get(table)?.columns.find(({ key }) => key === column)?.type;
    if (!type || !isLink(type)) continue;
    const values = [base, yours, theirs];
    name(
      type.table,
      values.filter((value) => typeof value === 'number'),
    );
    name(
      type.table,
      values.flatMap((value) => idsOf(value)),
    );
  }
  const shown: Record<string, string> = {};
  for (const [key, ids] of named) {
    const lines = await shownRecords(db, trx, tables, tableFrom(tables.whole, key), [...ids]);
    for (const [id, line] of lines) shown[`${key} ${id}`] = line;
  }
  return shown;
}

/** The record as it was when it was opened. */
async function baseOf(
  db: Database,
  trx: Knex.Transaction,
  form: WiredForm,
  now: OpenedRecord,
  at: OpenedAt,
  since: Activity[],
): Promise<OpenedRecord> {
  const root = await pastOf(db, trx, form, '', [at.record], [now], since);
  const [opened] = root;
  const rows: Record<string, OpenedRow[]> = {};
  for (const [grid, list] of Object.entries(now.rows)) {
    rows[grid] = await pastOf(db, trx, form, grid, at.rows[grid] ?? [], list, since);
  }
  return { stored: opened?.stored ?? now.stored, values: opened?.values ?? now.values, rows };
}

async function pastOf(
  db: Database,
  trx: Knex.Transaction,
  form: WiredForm,
  grid: string,
  known: readonly { id: number; version: number }[],
  now: readonly OpenedRow[],
  since: Activity[],
): Promise<OpenedRow[]> {
  const scope = scopeIn(form, grid);
  const there = new Map(now.map((row) => [row.stored.id, row]));
  const others = known.filter(({ id, version }) => there.get(id)?.stored.version !== version);
  const changes = await changesSince(db, trx, scope.table, others);
  since.push(...changes);
  return known.map(({ id, version }): OpenedRow => {
    const row = there.get(id);
    if (row?.stored.version === version) return row;
    const own = changes.filter((change) => change.record === id);
    const values = valuesBefore(row?.stored.values ?? {}, own);
    const stored: StoredRecord = { id, version, values };
    // What only narrows is not stored: it is as it is now, where the row is still there.
    return { stored, values: { ...row?.values, ...fieldValuesOnly(scope, stored) } };
  });
}

function fieldValuesOnly(
  scope: ReturnType<typeof scopeIn>,
  stored: StoredRecord,
): Record<string, Value> {
  const all = fieldValues(scope, stored);
  return Object.fromEntries(
    Object.entries(all).filter(([key]) => scope.fields.get(key)?.field.savesTo !== null),
  );
}

/** What was filled, without the rows that were taken out. */
export function filledOf({
  values,
  own,
  texts,
  rows = {},
}: HostFilled & {
  rows?: Readonly<Record<string, readonly (FilledRow & { removed?: boolean | undefined })[]>>;
}): Filled {
  const kept = Object.entries(rows).map(([grid, list]) => [
    grid,
    list.filter((row) => row.removed !== true),
  ]);
  return { values, own, texts, rows: Object.fromEntries(kept) };
}
