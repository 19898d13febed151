import { begin, fill, type Beginning, type GivenRow } from './beginning';
import type { HostState } from './host-state';
import type { Life } from './life';
import { rowKey } from './stored';

/** A grid of a form holds at most so many lines. */
export const mostRows = 10_000;

/**
 * A new row in a host, with what it begins with; none where the host is gone. `key` names it where neither it nor its
 * record has one.
 */
export function makeRow(
  life: Life,
  grid: string,
  mode: Beginning['mode'],
  given: GivenRow,
  host: HostState | null,
  key: () => string,
): HostState | null {
  if (!host) return null;
  const { stored } = given;
  const made = given.key ?? (stored ? rowKey(stored) : key());
  const row = life.newRow(grid, made, host);
  row.stored = stored ?? null;
  if (stored) life.removed = life.removed.filter((r) => r.stored?.id !== stored.id);
  const fresh = mode === 'new' && given.key === undefined;
  begin(row, mode, fresh ? {} : given);
  if (fresh) fill(row, given.values);
  return row;
}

/** The rows that stand where a row stands, itself among them. */
export function rowsBeside(life: Life, row: HostState): readonly HostState[] {
  return row.parent ? life.rowsIn(row.scope.key, row.parent) : [];
}

/** Puts a row at a place among those that stand where it does. */
export function placeRow(life: Life, row: HostState, at: number): void {
  const grid = row.scope.key;
  const elsewhere = (life.rows.get(grid) ?? []).filter((r) => r.parent !== row.parent);
  const others = rowsBeside(life, row).filter((other) => other !== row);
  const placed = [...others.slice(0, at), row, ...others.slice(at)];
  life.rows.set(grid, [...elsewhere, ...placed]);
  life.wakeRows();
}

/** Ends a row, with those that stand in it: what it asked is dropped; one of a stored record is remembered. */
export function takeOut(life: Life, row: HostState): void {
  for (const [grid, rows] of life.rows) {
    if (life.form.scopes.get(grid)?.within !== row.scope.key) continue;
    const [inside, others] = [life.rowsIn(grid, row), rows.filter((r) => r.parent !== row)];
    life.rows.set(grid, others);
    for (const inner of inside) takeOut(life, inner);
  }
  for (const cell of row.cells) for (const kind of cell.questions.keys()) life.drop(cell, kind);
  if (row.stored) life.removed.push(row);
  const { key } = row.scope;
  life.trace.push({ kind: 'row removed', field: key, row: row.key, cause: null, value: null });
}
