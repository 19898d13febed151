import { sameValue, type Value } from '../values/types';
import type { WiredForm } from '../wiring/form';
import type { WiredScope } from '../wiring/wired';
import type { Filled, FilledRow } from './filled';
import { rowKey, scopeIn, type OpenedRecord, type OpenedRow } from './stored';

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
        const outer = changed.length > 0 ? goneOuter(form, base, now, grid, own) : null;
        if (outer) meetWhole(outer, 'gone');
        else if (changed.length > 0) conflicts.push({ grid, id, kind: 'gone', fields: changed });
        else elsewhere.push({ grid, id, kind: 'gone', fields: [] });
      } else if (other) {
        const changed = changesOf(scope, values, values, other.values).map(
          ({ both: _, ...field }) => field,
        );
        const outer = takenOuter(form, base, yours, grid, other);
        if (changed.length > 0 && outer) meetWhole(outer, 'left');
        else if (changed.length > 0) conflicts.push({ grid, id, kind: 'left', fields: changed });
      }
    }
    const known = storedById(opened);
    for (const row of now.rows[grid] ?? []) {
      if (known.has(row.stored.id)) continue;
      const outer = takenOuter(form, base, yours, grid, row);
      if (outer) meetWhole(outer, 'left');
      else elsewhere.push({ grid, id: row.stored.id, kind: 'added', fields: [] });
    }
  }
  return { conflicts, elsewhere };

  /** One took out a row in which the other one has added or changed something. */
  function meetWhole({ grid, id }: Place, kind: 'left' | 'gone'): void {
    const known = conflicts.some((c) => c.grid === grid && c.id === id);
    if (!known) conflicts.push({ grid, id, kind, fields: [] });
  }
}

/** A stored row of a grid. */
interface Place {
  grid: string;
  id: number;
}

/** The row that they took out, and in which one of yours stands; `null` where that is not so. */
function goneOuter(
  form: WiredForm,
  base: OpenedRecord,
  now: OpenedRecord,
  grid: string,
  { of }: FilledRow,
): Place | null {
  const { within } = scopeIn(form, grid);
  if (within === null) return null;
  const was = (base.rows[within] ?? []).find(({ stored }) => rowKey(stored) === of);
  const still = (now.rows[within] ?? []).some(({ stored }) => stored.id === was?.stored.id);
  return was && !still ? { grid: within, id: was.stored.id } : null;
}

/** The row that you took out, and in which a row stands; `null` where that is not so. */
function takenOuter(
  form: WiredForm,
  base: OpenedRecord,
  yours: Filled,
  grid: string,
  { of }: OpenedRow,
): Place | null {
  const { within } = scopeIn(form, grid);
  if (within === null) return null;
  const was = (base.rows[within] ?? []).find(({ stored }) => rowKey(stored) === of);
  const still = (yours.rows?.[within] ?? []).some((row) => row.id === was?.stored.id);
  return was && !still ? { grid: within, id: was.stored.id } : null;
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
  const lost = compareChanges(form, base, yours, now).conflicts.filter((c) => c.kind === 'gone');
  /** Whether a row that they took out is added again, for what you have changed in it. */
  const comesAgain = ({ grid, id }: Place) =>
    side(grid, id, '') === 'yours' && lost.some((c) => c.grid === grid && c.id === id);
  const rows = Object.entries(now.rows).map(([grid, opened]): [string, FilledRow[]] => {
    const filled = yours.rows?.[grid] ?? [];
    const [mine, before] = [byId(filled), storedById(base.rows[grid] ?? [])];
    const kept = opened.flatMap((row): FilledRow[] => {
      const { stored, values: theirs, of } = row;
      const { id } = stored;
      const outer = takenOuter(form, base, yours, grid, row);
      if (outer) {
        // It comes back with the row that it stands in, or goes with it.
        return side(outer.grid, outer.id, '') === 'theirs' ? [{ id, of, values: theirs }] : [];
      }
      const [own, was] = [mine.get(id), before.get(id)];
      const place = of === undefined ? { id } : { id, of };
      if (own && was) {
        const both = values(grid, id, was.values, own.values, theirs);
        return [{ ...place, values: both, texts: own.texts }];
      }
      // A row that they added, or one that you took out and they have changed.
      const takenOut = was !== undefined;
      return takenOut && side(grid, id, '') === 'yours' ? [] : [{ ...place, values: theirs }];
    });
    const there = storedById(opened);
    const again = filled.flatMap((row): FilledRow[] => {
      if (row.id === undefined) return [row];
      const was = before.get(row.id);
      if (there.has(row.id) || !was || side(grid, row.id, '') === 'theirs') return [];
      const changed = changesOf(scopeIn(form, grid), was.values, row.values, was.values, true);
      const outer = goneOuter(form, base, now, grid, row);
      // With the row that stands around it, or because of it, or for its own sake.
      const again = outer
        ? comesAgain(outer)
        : changed.length > 0 || comesAgain({ grid, id: row.id });
      if (!again) return [];
      // Its key stays: what stands in it names it.
      const { values: filledValues, of } = row;
      return [{ key: rowKey({ id: row.id }), values: filledValues, ...(of ? { of } : {}) }];
    });
    return [grid, [...kept, ...again]];
  });
  const { id } = now.stored;
  return {
    values: values('', id, base.values, yours.values, now.values),
    texts: yours.texts,
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
  return scope.list.flatMap(({ field, sources, broughtBy, computes }) => {
    const { key, savesTo } = field;
    if (savesTo === null || computes || sources.value || broughtBy?.bring.editable === false)
      return [];
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
