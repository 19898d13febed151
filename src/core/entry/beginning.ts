import { checkValue } from '../values/parse';
import type { Around } from './life';
import type { HostState } from './host-state';
import type { Cell } from './cell';
import type { StoredRecord } from './stored';

/** A row that an entry begins with. */
export interface GivenRow {
  key?: string;
  values: Readonly<Record<string, unknown>>;
  own?: readonly string[];
  /** The record that the row goes on with. */
  stored?: StoredRecord;
  /** The key of the row that it stands in, for a grid within another. */
  of?: string | undefined;
}

/** What somebody made of an opened entry; a row that is not among the rows was taken out. */
export interface Filled {
  values: Readonly<Record<string, unknown>>;
  own?: readonly string[];
  rows?: Readonly<Record<string, readonly FilledRow[]>>;
}

/** A row as it was filled: of a stored record (`id`), or a new one. */
export interface FilledRow extends Omit<GivenRow, 'stored'> {
  id?: number;
}

/** How an entry begins. */
export interface Beginning {
  /**
   * `new`: what is not offered is cleared. `opened`: a stored record; nothing changes by itself, what
   * is not offered is marked. `resumed`: a draft or a submission; choices are marked as in an opened
   * one, but what follows from others is worked out anew.
   */
  mode: 'new' | 'opened' | 'resumed';
  values?: Readonly<Record<string, unknown>>;
  /** The fields that a person has set; where nothing is said, all that are given. */
  own?: readonly string[];
  rows?: Readonly<Record<string, readonly GivenRow[]>>;
  /** The record that the entry goes on with. */
  stored?: StoredRecord;
  /** Whether a single remaining choice is taken where the plan says so; a new entry does. */
  takes?: boolean;
  around?: Partial<Around>;
}

/** Gives the cells of a host what it begins with. */
export function begin(
  host: HostState,
  mode: Beginning['mode'],
  values: Readonly<Record<string, unknown>> | undefined,
  own: readonly string[] | undefined,
): void {
  for (const cell of host.cells) {
    const { field } = cell.wired;
    take(cell, values ? values[field.key] : field.initial);
    const given = values !== undefined && values[field.key] !== undefined;
    const named = own ? own.includes(field.key) : given && (mode !== 'new' || cell.value !== null);
    cell.own = values !== undefined && named && !cell.derived;
    // What is worked out and not saved is no part of an opened record.
    const stored = mode === 'opened' && !(cell.derived && field.savesTo === null);
    const absent = cell.value === null && !(host.stored && field.savesTo !== null);
    cell.kept = !absent && (stored || (mode === 'resumed' && !cell.derived));
  }
  for (const cell of host.cells) {
    const { broughtBy } = cell.wired;
    const lookup = broughtBy && host.cells[broughtBy.from.index];
    if (lookup && (cell.own || (mode === 'opened' && cell.kept))) cell.broughtFor = lookup.value;
  }
}

/** Puts values into a fresh row over its defaults. */
export function fill(row: HostState, values: Readonly<Record<string, unknown>>): void {
  for (const cell of row.cells) {
    const given = values[cell.wired.field.key];
    if (given === undefined) continue;
    take(cell, given);
    cell.own = !cell.derived;
  }
}

/** Takes a value that is given, or notes why it is none of the type. */
function take(cell: Cell, given: unknown): void {
  const checked = checkValue(cell.wired.type, given, cell.wired.field.label);
  cell.value = 'value' in checked ? checked.value : null;
  const text = typeof given === 'string' ? given : JSON.stringify(given);
  cell.rejected = 'value' in checked ? null : { text, problem: checked.problem };
}
