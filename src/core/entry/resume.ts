import { checkValue } from '../values/parse';
import type { Value } from '../values/types';
import type { StandingAsk } from './asks';
import type { Cell, HostState } from './host-state';
import type { Life } from './life';
import type { EntryState } from './state';
import type { Filled, HostFilled } from './filled';

type HostMiddle = HostFilled & Partial<Record<'changed' | 'came', readonly string[] | undefined>>;

/**
 * Puts everything at rest as it stands on a screen, and asks what is asked there. Nothing is worked out
 * but what follows from the answers; what they do not touch is taken as it is.
 */
export function resumeLife(
  life: Life,
  state: Filled & Partial<Omit<EntryState, 'rows' | 'values' | 'own'>>,
  asks: readonly StandingAsk[],
): void {
  life.resting = true;
  life.takesOnly = state.based !== true;
  rest(life.root, state, state.based === true);
  const away = new Set(state.away ?? []);
  for (const grid of life.form.graph.there.keys()) {
    life.noteThere(grid, { holds: !away.has(grid), unsure: false, changed: true });
  }
  const byKey = new Map<string, HostState>();
  const nameOf = (grid: string, key: string) => `${grid} ${key}`;
  for (const { key: grid, within } of life.form.scopes.values()) {
    if (grid === '') continue;
    for (const row of state.rows?.[grid] ?? []) {
      const around = within === null ? life.root : byKey.get(nameOf(within, row.of ?? ''));
      if (!around) continue;
      const made = life.newRow(grid, row.key ?? '', around);
      rest(made, row, row.id !== undefined);
      byKey.set(nameOf(grid, made.key), made);
    }
  }
  for (const ask of asks) {
    const host = ask.row === null ? life.root : byKey.get(nameOf(ask.grid, ask.row));
    const cell = host?.cells.find(({ wired }) => wired.field.key === ask.field);
    if (cell) openAsk(life, cell, ask);
  }
}

/** Puts the cells of a host at rest: their values, and all that was known about them. */
function rest(host: HostState, state: HostMiddle, based: boolean): void {
  host.based = based;
  const own = state.own && new Set(state.own);
  const hidden = new Set(state.hidden);
  const changed = new Set(state.changed);
  const came = new Set(state.came);
  const unsure = new Set(state.unsure);
  for (const cell of host.cells) {
    const { field, type } = cell.wired;
    const checked = checkValue(type, state.values[field.key] ?? null, field.label);
    cell.value = 'value' in checked ? checked.value : null;
    cell.own = !cell.derived && (own ? own.has(field.key) : cell.value !== null);
    cell.asGiven = came.has(field.key);
    cell.narrowedTo = state.under?.[field.key] ?? null;
    cell.hidden = hidden.has(field.key);
    cell.withheld = cell.hidden && cell.value === null;
    cell.hiddenChanged = !based || cell.hidden;
    cell.followsChange = !based || changed.has(field.key);
    // What is as in the record is known; what it was before a change is not, and need not be.
    if (based && !changed.has(field.key)) cell.base = cell.value;
    cell.readValue = cell.value;
    cell.unsure = unsure.has(field.key);
  }
  for (const cell of host.cells) {
    const { broughtBy } = cell.wired;
    const lookup = broughtBy && host.cells[broughtBy.from.index];
    if (lookup && !cell.unsure) cell.broughtFor = lookup.value;
  }
}

function openAsk(life: Life, cell: Cell, ask: StandingAsk): void {
  const { id, kind, current, cause } = ask;
  Object.assign(cell.question(kind), { asked: id, answeredFor: null, failed: null, cause });
  life.open.set(id, { ask, cell });
  if (kind === 'list') {
    cell.choices = { status: 'asking' };
    cell.unconfirmed = cell.value !== null && !cell.asGiven;
  }
  if (kind === 'value') cell.unsure = true;
  if (kind === 'value') cell.waitsAfter ??= cause;
  if (kind === 'key') cell.keyText = String(current as Value);
}
