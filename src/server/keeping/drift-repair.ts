import type { Plan } from '$lib/core/plan/schema';
import { fail, ProblemError } from '$lib/core/problems';
import type { Column, House } from '$lib/core/table/definition';
import { checkValue } from '$lib/core/values/parse';
import { sameValue, type Value } from '$lib/core/values/types';
import { tableFrom } from '../catalog/tables';
import type { Database } from '../database/connection';
import { readForm } from '../records/form-read';
import { shownRecords } from '../records/read';
import { readStored } from '../records/stored';
import { knownForm } from '../records/wired';
import { writeTogether } from '../records/write';
import { judgeAnew, planOf, settledEntries, together, type DriftRun } from './drift';
import { columnIn, found, sayer, tableIn, valueIn, type FoundWish } from './drift-found';

/** So many are repaired at once. */
const mostRepaired = 2000;

/** With what is found: what would come out today, nothing, the only value that is offered, or a given one. */
export type Take = 'now' | 'nothing' | 'only' | { value: Value };

/** What came of a repair, or would: its save, and how many values were left. */
export interface Repaired {
  submission: string | null;
  changed: number;
  /** Left, since somebody has changed them meanwhile. */
  left: number;
  /** Left, since more than one value is offered, or none. */
  unsure: number;
  /** Whether there is more of the same. */
  more: boolean;
  /** Each change, where only that is asked for. */
  changes: { record: number; named: string; before: string; after: string }[];
}

interface Change {
  /** The record of the form, and the record that changes: itself, or one of its rows. */
  root: number;
  id: number;
  version: number;
  before: Value;
  after: Value;
}

/**
 * Repairs findings of one kind in one save, which undoes them together; or says what that would change. What is not
 * as it was found is left alone.
 */
export async function repairDrift(
  db: Database,
  house: House,
  run: DriftRun,
  wish: FoundWish & { take: Take; preview?: boolean },
  by: string,
): Promise<Repaired> {
  const plan = await planOf(db, run);
  const column = columnIn(house, plan, wish.grid, wish.field);
  const table = tableFrom(house, tableIn(plan, wish.grid));
  if (!column) return fail('unknown_field', { field: wish.field }, 404);
  const rows = await found(db, run, wish)
    .orderBy('f.id')
    .limit(mostRepaired + 1)
    .select('f.*');
  const meant = rows.slice(0, mostRepaired);
  const after = await valuesFor(db, house, plan, column, wish, meant, by);
  const is = meant.map((row) => Number(row.row_record));
  const stored = await readStored(db, db.knex, house, table, { column: 'id', is });
  const byId = new Map(stored.map((record) => [record.id, record]));
  let [unsure, same] = [0, 0];
  const changes = meant.flatMap((row): Change[] => {
    const record = byId.get(Number(row.row_record));
    const value = after(row);
    const before = valueIn(row.value) ?? null;
    if (!record || !sameValue(record.values[column.key] ?? null, before)) return [];
    if (value === undefined) {
      unsure += 1;
      return [];
    }
    if (sameValue(before, value)) {
      same += 1;
      return [];
    }
    const { id, version } = record;
    return [{ root: Number(row.record), id, version, before, after: value }];
  });
  const told = {
    ...{ changed: changes.length, left: meant.length - changes.length - unsure - same, unsure },
    more: rows.length > mostRepaired,
  };
  if (wish.preview === true) {
    const said = await saidChanges(db, house, plan, wish, changes);
    return { ...told, changed: said.length, submission: null, changes: said };
  }
  if (changes.length === 0) return { ...told, submission: null, changes: [] };
  const change = changes.map(({ id, version, after: value }) => ({
    ...{ id, version },
    values: { [column.key]: value },
  }));
  const submission = await writeTogether(db, house, table, { add: [], remove: [], change }, by);
  await judgeAnew(db, run, [...new Set(changes.map(({ root }) => root))]);
  return { ...told, submission, changes: [] };
}

/** What each finding is mended with; nothing, where that is not known. */
async function valuesFor(
  db: Database,
  house: House,
  plan: Plan,
  column: Column,
  { take, ...wish }: FoundWish & { take: Take },
  rows: readonly Record<string, unknown>[],
  by: string,
): Promise<(row: Record<string, unknown>) => Value | undefined> {
  if (take === 'nothing') return () => null;
  if (take === 'now') return (row) => valueIn(row.now);
  if (take === 'only') {
    const only = await onlyOffered(db, house, plan, wish, rows, by);
    return (row) => only.get(Number(row.row_record));
  }
  const checked = checkValue(column.type, take.value, column.label);
  if ('problem' in checked) throw new ProblemError([{ ...checked.problem, path: 'take' }]);
  return () => checked.value;
}

/** The only value that a field offers under the values of each record, or row, where there is one. */
async function onlyOffered(
  db: Database,
  house: House,
  plan: Plan,
  { grid, field }: FoundWish,
  rows: readonly Record<string, unknown>[],
  by: string,
): Promise<Map<number, Value>> {
  const form = knownForm(plan, house.whole);
  const wanted = new Set(rows.map((row) => Number(row.row_record)));
  const roots = [...new Set(rows.map((row) => Number(row.record)))];
  const only = new Map<number, Value>();
  for (let from = 0; from < roots.length; from += together) {
    const some = roots.slice(from, from + together);
    const asks: { id: string; field: string; given: Record<string, Value>; grid?: string }[] = [];
    for (const { entry } of await settledEntries(db, house, form, some, by)) {
      for (const host of grid === '' ? [undefined] : entry.rows(grid)) {
        const id = (host ?? entry.root).stored?.id ?? 0;
        if (!wanted.has(id)) continue;
        const options = entry.options(field, host)?.filter(({ retired }) => retired !== true);
        const [single, another] = options ?? [];
        if (options && single && !another) only.set(id, single.value);
        if (!options) {
          const given = entry.given(field, host);
          asks.push({ id: String(id), field, given, ...(grid === '' ? {} : { grid }) });
        }
      }
    }
    const listed = asks.map((ask) => ({ ...ask, kind: 'list' as const, current: null, limit: 2 }));
    const answers = listed.length > 0 ? await readForm(db, house, plan, { asks: listed }) : [];
    for (const answer of answers) {
      const [single, another] = 'choices' in answer ? answer.choices : [];
      if (single && !another) only.set(Number(answer.id), single.value);
    }
  }
  return only;
}

/** Changes in words; those of records out of sight are told to nobody. */
async function saidChanges(
  db: Database,
  house: House,
  plan: Plan,
  wish: FoundWish,
  changes: readonly Change[],
): Promise<Repaired['changes']> {
  const roots = changes.map(({ root }) => root);
  const names = await shownRecords(db, db.knex, house, tableFrom(house, plan.table), roots);
  const values = changes.flatMap(({ before, after }) => [before, after]);
  const said = await sayer(db, house, plan, wish, [], values);
  return changes.flatMap(({ root, before, after }) => {
    const named = names.get(root);
    return named === undefined
      ? []
      : [{ record: root, named, before: said(before), after: said(after) }];
  });
}
