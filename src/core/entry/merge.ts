import { sameValue, type Value } from '../values/types';
import type { WiredForm, WiredScope } from '../wiring/form';
import type { Filled, FilledRow } from './entry';
import { scopeIn, type OpenedRecord, type OpenedRow } from './stored';

/** Whose side is taken where two people have changed the same. */
export type Side = 'yours' | 'theirs';

/** A field that two people have changed to different values. */
export interface FieldConflict {
  /** The field's key; `''` where the whole row is meant. */
  field: string;
  base: Value;
  yours: Value;
  theirs: Value;
}

/** A place where another person's save meets what is being filled here. */
export interface Conflict {
  /** The grid; `''` for the form itself. */
  grid: string;
  /** The stored record. */
  id: number;
  /**
   * `changed`: both have changed fields of it. `gone`: you have changed a row that they took out.
   * `left`: you took out a row that they have changed.
   */
  kind: 'changed' | 'gone' | 'left';
  fields: FieldConflict[];
}

/** What another person's save did to a record without touching what was changed here. */
export interface Elsewhere {
  grid: string;
  id: number;
  kind: 'changed' | 'added' | 'gone';
  fields: { field: string; before: Value; now: Value }[];
}

/** Two people's changes of one record, laid side by side. */
export interface Comparison {
  conflicts: Conflict[];
  /** What they changed and you did not: it is taken as it is. */
  elsewhere: Elsewhere[];
}

/** Names a conflict, for choosing a side. */
export function conflictKey(grid: string, id: number, field: string): string {
  return `${grid} ${id} ${field}`;
}

/**
 * Compares what was made of an opened record here with what the record has become meanwhile. Only what
 * people set is compared; what follows from it is worked out anew.
 */
export function compareChanges(
  form: WiredForm,
  base: OpenedRecord,
  yours: Filled,
  now: OpenedRecord,
): Comparison {
  const conflicts: Conflict[] = [];
  const elsewhere: Elsewhere[] = [];
  const meet = (scope: WiredScope, id: number, before: Values, mine: Values, theirs: Values) => {
    const changed = changesOf(scope, before, mine, theirs);
    const at = { grid: scope.key, id, kind: 'changed' as const };
    const fields = changed.filter(({ both }) => both).map(({ both: _, ...field }) => field);
    if (fields.length > 0) conflicts.push({ ...at, fields });
    const others = changed.filter(({ both }) => !both);
    if (others.length > 0) {
      const told = others.map(({ field, base: was, theirs: is }) => ({
        field,
        before: was,
        now: is,
      }));
      elsewhere.push({ ...at, fields: told });
    }
  };
  meet(scopeIn(form, ''), base.stored.id, base.values, yours.values, now.values);
  for (const [grid, opened] of Object.entries(base.rows)) {
    const scope = scopeIn(form, grid);
    const [mine, theirs] = [byId(yours.rows?.[grid] ?? []), storedById(now.rows[grid] ?? [])];
    for (const { stored, values } of opened) {
      const { id } = stored;
      const [own, other] = [mine.get(id), theirs.get(id)];
      if (own && other) meet(scope, id, values, own.values, other.values);
      else if (own) {
        const changed = changesOf(scope, values, own.values, values, true).map(
          ({ both: _, ...field }) => field,
        );
        if (changed.length > 0) conflicts.push({ grid, id, kind: 'gone', fields: changed });
        else elsewhere.push({ grid, id, kind: 'gone', fields: [] });
      } else if (other) {
        const changed = changesOf(scope, values, values, other.values).map(
          ({ both: _, ...field }) => field,
        );
        if (changed.length > 0) conflicts.push({ grid, id, kind: 'left', fields: changed });
      }
    }
    const known = storedById(opened);
    for (const { stored } of now.rows[grid] ?? []) {
      if (!known.has(stored.id)) {
        elsewhere.push({ grid, id: stored.id, kind: 'added', fields: [] });
      }
    }
  }
  return { conflicts, elsewhere };
}

/**
 * What is to be taken over by an entry that was opened anew: your changes where only you made some,
 * theirs where only they did, and where both did the side that is chosen (yours, where nothing is).
 */
export function merged(
  form: WiredForm,
  base: OpenedRecord,
  yours: Filled,
  now: OpenedRecord,
  sides: ReadonlyMap<string, Side>,
): Filled {
  const side = (grid: string, id: number, field: string) =>
    sides.get(conflictKey(grid, id, field)) ?? 'yours';
  const values = (grid: string, id: number, before: Values, mine: Values, theirs: Values) => {
    const scope = scopeIn(form, grid);
    return Object.fromEntries(
      scope.list.map(({ field: { key } }) => {
        const [own, other] = [valueIn(mine, key), valueIn(theirs, key)];
        const changed = !sameValue(own, valueIn(before, key));
        const keeps = changed && side(grid, id, key) === 'yours';
        return [key, keeps ? own : other];
      }),
    );
  };
  const rows = Object.entries(now.rows).map(([grid, opened]): [string, FilledRow[]] => {
    const filled = yours.rows?.[grid] ?? [];
    const [mine, before] = [byId(filled), storedById(base.rows[grid] ?? [])];
    const kept = opened.flatMap(({ stored: { id }, values: theirs }): FilledRow[] => {
      const [own, was] = [mine.get(id), before.get(id)];
      if (own && was) return [{ id, values: values(grid, id, was.values, own.values, theirs) }];
      // A row that they added, or one that you took out and they have changed.
      const takenOut = was !== undefined;
      return takenOut && side(grid, id, '') === 'yours' ? [] : [{ id, values: theirs }];
    });
    const there = storedById(opened);
    const again = filled.flatMap((row): FilledRow[] => {
      if (row.id === undefined) return [row];
      const was = before.get(row.id);
      if (there.has(row.id) || !was || side(grid, row.id, '') === 'theirs') return [];
      const changed = changesOf(scopeIn(form, grid), was.values, row.values, was.values, true);
      return changed.length > 0 ? [{ values: row.values }] : [];
    });
    return [grid, [...kept, ...again]];
  });
  const { id } = now.stored;
  return {
    values: values('', id, base.values, yours.values, now.values),
    rows: Object.fromEntries(rows),
  };
}

type Values = Readonly<Record<string, unknown>>;

/** The fields that one of two people has changed; `both` where they do not agree. */
function changesOf(
  scope: WiredScope,
  base: Values,
  yours: Values,
  theirs: Values,
  mineOnly = false,
): (FieldConflict & { both: boolean })[] {
  return scope.list.flatMap(({ field, broughtBy, computes }) => {
    const { key, savesTo, rollup } = field;
    if (savesTo === null || computes || rollup || broughtBy?.bring.editable === false) return [];
    const [was, own, other] = [base, yours, theirs].map((values) => valueIn(values, key));
    if (was === undefined || own === undefined || other === undefined) return [];
    const [mine, changed] = [!sameValue(own, was), !sameValue(other, was)];
    if (mineOnly ? !mine : !changed) return [];
    const both = mine && changed && !sameValue(own, other);
    // Both have come to the same: there is nothing to tell.
    if (!mineOnly && mine && !both) return [];
    return [{ field: key, base: was, yours: own, theirs: other, both }];
  });
}

function valueIn(values: Values, key: string): Value {
  return (values[key] ?? null) as Value;
}

function byId(rows: readonly FilledRow[]): Map<number, FilledRow> {
  return new Map(rows.flatMap((row) => (row.id === undefined ? [] : [[row.id, row]])));
}

function storedById(rows: readonly OpenedRow[]): Map<number, OpenedRow> {
  return new Map(rows.map((row) => [row.stored.id, row]));
}
