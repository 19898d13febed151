import { sameValue, type Value } from '../values/types';
import type { Cell } from './host-state';
import type { Entry, Row } from './entry';
import { isListed } from './entry-problems';
import { followsClock } from './recomputed';
import { canonicalOf } from './working-out';

/** Why a stored record would not be saved today as it stands, or would come out otherwise. */
export const driftKinds = [
  'unreadable',
  'not_offered',
  'retired',
  'required',
  'check',
  'computed',
  'brought',
] as const;
export type DriftKind = (typeof driftKinds)[number];

/** One thing that does not fit any more: at a field of a record, or of a row of it. */
export interface Drift {
  kind: DriftKind;
  /** The grid in which the row stands; `''` for the record itself. */
  grid: string;
  /** The record of the row, or the record itself. */
  record: number;
  field: string;
  /** What a check says; `''` for all else. */
  message: string;
  value: Value;
  /** What would come out today; `undefined` where nothing can be said of that. */
  now: Value | undefined;
}

/** What a column of another record holds now; `undefined` where it was not read. */
export type BroughtNow = (table: string, record: number, path: string) => Value | undefined;

/**
 * Holds a stored record, opened by a form and settled, against that form: what its newest rules, lists and formulas
 * say of what was saved under older ones. Values that hang on the day, and totals of other tables, are left out.
 */
export function driftOf(entry: Entry, broughtNow: BroughtNow): Drift[] {
  const found = driftIn(entry, entry.root, '', broughtNow);
  for (const grid of entry.form.scopes.keys()) {
    if (grid === '') continue;
    for (const row of entry.rows(grid)) found.push(...driftIn(entry, row, grid, broughtNow));
  }
  return found;
}

function driftIn(entry: Entry, host: Row, grid: string, broughtNow: BroughtNow): Drift[] {
  const { stored } = host;
  if (!stored) return [];
  return host.cells.flatMap((cell): Drift[] => {
    const { field } = cell.wired;
    const at = { grid, record: stored.id, field: field.key, value: cell.value };
    const drift = (kind: DriftKind, more: Partial<Drift> = {}): Drift => ({
      ...{ ...at, kind, message: '', now: undefined },
      ...more,
    });
    if (cell.hidden || cell.hiddenUnsure) return [];
    const checks = [...cell.refusals.values()].map((message) => drift('check', { message }));
    if (field.savesTo === null) return checks;
    if (cell.rejected && !cell.derived) return [drift('unreadable')];
    const now = nowOf(entry, cell, broughtNow);
    if (now && !sameValue(now.value, cell.value)) {
      return [drift(cell.wired.broughtBy ? 'brought' : 'computed', { now: now.value }), ...checks];
    }
    if (cell.value === null) {
      const missing = (field.required || cell.required) && !cell.derived;
      return missing ? [drift('required'), ...checks] : checks;
    }
    if (isRetired(cell)) return [drift('retired'), ...checks];
    if (cell.notOffered || !isListed(cell)) return [drift('not_offered'), ...checks];
    return checks;
  });
}

/** What a field that follows from others would come to, if it were worked out now; `null` where nobody can say. */
function nowOf(entry: Entry, cell: Cell, broughtNow: BroughtNow): { value: Value } | null {
  const { wired } = cell;
  if (wired.computes) {
    if (followsClock(entry.form, wired)) return null;
    const worked = entry.workOut(cell, wired.computes);
    if (worked.unsure || worked.problem) return null;
    const made = canonicalOf(wired.type, worked.result, wired.field.label);
    return 'value' in made ? { value: made.value } : null;
  }
  const live = liveBring(cell);
  const value = live ? broughtNow(live.table, live.record, live.path) : undefined;
  return value === undefined ? null : { value };
}

/** Whether an option is kept that is offered to nobody any more. */
function isRetired({ wired: { type }, value }: Readonly<Cell>): boolean {
  return (
    type.kind === 'option' &&
    type.options.some((option) => option.value === value && option.retired === true)
  );
}

/** The columns of other records that {@link driftOf} wants to know of: by table, the records and the paths. */
export function broughtLive(
  entries: readonly Entry[],
): Map<string, { ids: Set<number>; paths: Set<string> }> {
  const wanted = new Map<string, { ids: Set<number>; paths: Set<string> }>();
  const hosts = entries.flatMap((entry) =>
    [...entry.form.scopes.keys()].flatMap((grid) =>
      grid === '' ? [entry.root] : entry.rows(grid),
    ),
  );
  for (const { cells } of hosts) {
    for (const cell of cells) {
      const live = liveBring(cell);
      if (!live) continue;
      const of = wanted.get(live.table) ?? { ids: new Set(), paths: new Set() };
      wanted.set(live.table, of);
      of.ids.add(live.record);
      of.paths.add(live.path);
    }
  }
  return wanted;
}

/** From where a saved value is brought that follows its source; `null` where it is not, or nothing is chosen. */
function liveBring({
  wired,
  host,
  derived,
}: Cell): { table: string; record: number; path: string } | null {
  const { broughtBy } = wired;
  if (!derived || wired.field.savesTo === null || broughtBy?.bring.keeps !== 'live') return null;
  const { from, bring } = broughtBy;
  const record = host.cells[from.index]?.value;
  if (from.type.kind !== 'reference' || bring.path === null || typeof record !== 'number')
    return null;
  return { table: from.type.table, record, path: bring.path };
}
