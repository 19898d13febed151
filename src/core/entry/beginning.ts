import { checkValue } from '../values/parse';
import type { Around } from './around';
import type { HostState, Cell } from './host-state';
import type { Filled, FilledRow, HostFilled } from './filled';
import { rowKey, type OpenedRecord, type StoredRecord } from './stored';

/** A row that an entry begins with. */
export interface GivenRow extends Omit<FilledRow, 'id'> {
  /** The record that the row goes on with. */
  stored?: StoredRecord;
}

/** How an entry begins. */
export interface Beginning extends Partial<HostFilled> {
  /**
   * `new`: what is not offered is cleared. `opened`: a stored record; nothing changes by itself, what
   * is not offered is marked. `resumed`: a draft or a submission of a new record; what is not offered is
   * marked, what follows from others is worked out anew.
   */
  mode: 'new' | 'opened' | 'resumed';
  rows?: Readonly<Record<string, readonly GivenRow[]>>;
  /** The record that the entry goes on with. */
  stored?: StoredRecord;
  /** What somebody has made of it since: a draft, a submission, what is kept of two people's changes. */
  filled?: Filled | undefined;
  /** Whether a single remaining choice is taken where the plan says so; a new entry does. */
  takesOnly?: boolean;
  around?: Partial<Around>;
}

/** How an entry of a new record goes on with what was filled in: a submission, or a draft. */
export function newBeginning(filled: Filled): Beginning {
  const { rows = {}, ...host } = filled;
  return { mode: 'resumed', ...host, rows };
}

/** How an entry begins that goes on with a stored record. */
export function openedBeginning({ stored, values, rows }: OpenedRecord): Beginning {
  const given = Object.entries(rows).map(([grid, list]) => [
    grid,
    list.map((row) => ({ key: rowKey(row.stored), ...row })),
  ]);
  return { mode: 'opened', values, stored, rows: Object.fromEntries(given) };
}

/** Gives the cells of a host what it begins with. */
export function begin(host: HostState, mode: Beginning['mode'], given: Partial<HostFilled>): void {
  host.based = mode === 'opened';
  for (const cell of host.cells) {
    if (mode === 'opened') beginStored(cell, given.values?.[cell.wired.field.key]);
    else beginGiven(cell, mode, given);
  }
  for (const cell of host.cells) {
    const { broughtBy } = cell.wired;
    const lookup = broughtBy && host.cells[broughtBy.from.index];
    if (!lookup) continue;
    if (isUnsure(cell, given)) cell.broughtFor = given.brought?.[cell.wired.field.key];
    else if (cell.own || cell.base !== undefined || cameWith(cell, mode, given)) {
      cell.broughtFor = lookup.value;
    }
  }
}

/** Whether what was brought came with a draft or a submission: it was brought for the record that came too. */
function cameWith(cell: Cell, mode: Beginning['mode'], { values }: Partial<HostFilled>): boolean {
  return mode === 'resumed' && !cell.derived && values?.[cell.wired.field.key] !== undefined;
}

/** Whether a value followed from something that was being read when the entry was left. */
export function isUnsure(cell: Cell, { unsure }: Partial<HostFilled>): boolean {
  return unsure?.includes(cell.wired.field.key) === true;
}

/** A cell of a record: what it holds stands until something is changed that it follows from. */
function beginStored(cell: Cell, given: unknown): void {
  take(cell, given ?? null);
  cell.followsChange = false;
  // What is worked out and not saved is no part of a record.
  if (cell.follows && cell.wired.field.savesTo === null) return;
  cell.base = cell.value;
  cell.own = !cell.derived;
  cell.asGiven = cell.value !== null;
}

function beginGiven(cell: Cell, mode: 'new' | 'resumed', filled: Partial<HostFilled>): void {
  const { field } = cell.wired;
  const { values, own } = filled;
  take(cell, values ? values[field.key] : field.initial);
  const given = values !== undefined && values[field.key] !== undefined;
  const named = own ? own.includes(field.key) : given && (mode !== 'new' || cell.value !== null);
  cell.own = given && named && !cell.derived;
  if (mode === 'resumed') goOn(cell, filled);
}

/** Takes a value as it was left: what is not known to be offered is not taken as chosen. */
export function goOn(cell: Cell, { hidden, unconfirmed, under }: Partial<HostFilled>): void {
  const { key } = cell.wired.field;
  cell.withheld = cell.value === null && hidden?.includes(key) === true;
  cell.asGiven = isInput(cell) && unconfirmed?.includes(key) !== true;
  cell.narrowedTo = under?.[key] ?? null;
}

/** Whether the value of a cell is one that a person has put in, or chosen, and that does not follow. */
export function isInput(cell: Cell): boolean {
  return cell.own || !cell.follows;
}

/** Puts values into a fresh row over its defaults. */
export function fill(row: HostState, values: Readonly<Record<string, unknown>>): void {
  for (const cell of row.cells) {
    const given = values[cell.wired.field.key];
    if (given === undefined || cell.wired.field.shows !== 'input') continue;
    take(cell, given);
    cell.own = !cell.derived;
  }
}

/** Takes a value that is given, or notes why it is none of the type. */
export function take(cell: Cell, given: unknown): void {
  const checked = checkValue(cell.wired.type, given, cell.wired.field.label);
  cell.value = 'value' in checked ? checked.value : null;
  const text = typeof given === 'string' ? given : JSON.stringify(given);
  cell.rejected = 'value' in checked ? null : { text, problem: checked.problem };
}
