import { openedBeginning, type Beginning } from '../entry/beginning';
import { Entry, type Row } from '../entry/entry';
import { isClosed } from '../entry/host-state';
import { settle, type Reader } from '../entry/settle';
import { checkValue } from '../values/parse';
import { isoReading } from '../values/reading';
import { sameValue, type Value } from '../values/types';
import type { WiredForm } from '../wiring/form';
import { placeIn, type RehearsedStep, type Script } from './rehearsal';

/** A rehearsal that was played to its end. */
export interface Played {
  entry: Entry;
  /** What became another value: as it began, and after each step. */
  follows: Record<string, Value>[];
  /** The steps that could not be done: their field, grid or row is not there, or cannot be filled. */
  lost: number[];
}

/** Fills a form as a rehearsal says, step by step, each with all that follows from it. Nothing is written. */
export async function play(form: WiredForm, script: Script, reader: Reader): Promise<Played> {
  const { begins, today, now, person, link, steps } = script;
  const around = { clock: { today: () => today, now: () => now }, person, link };
  const beginning: Beginning = begins ? openedBeginning(begins) : { mode: 'new' };
  const entry = new Entry(form, { ...beginning, around });
  const known = new Map<object, Map<string, Value>>();
  const follows: Played['follows'] = [];
  const lost: number[] = [];
  await settle(entry, reader);
  follows.push(changesIn(entry, known));
  for (const [i, step] of steps.entries()) {
    if (!takeRehearsed(entry, step)) lost.push(i);
    await settle(entry, reader);
    follows.push(changesIn(entry, known));
  }
  return { entry, follows, lost };
}

/** Does one step; false where there is nothing at which it could be done. */
function takeRehearsed(entry: Entry, step: RehearsedStep): boolean {
  switch (step.do) {
    case 'add': {
      const within = step.within === '' ? undefined : rowAt(entry, step.within);
      const scope = entry.form.scopes.get(step.grid);
      if (!scope || step.grid === '' || !entry.isThere(step.grid)) return false;
      // A row stands in a row of just the grid around its own, or in the form.
      const around = within?.scope.key ?? null;
      if (scope.within !== around || (step.within !== '' && !within)) return false;
      entry.addRow(step.grid, { values: {} }, undefined, within);
      return true;
    }
    case 'remove': {
      const row = rowAt(entry, step.at);
      if (row) entry.removeRow(row);
      return row !== undefined;
    }
    default: {
      const { grid, field } = placeIn(step.at);
      const row = grid === null ? undefined : rowAt(entry, step.at);
      if (field === null || (grid !== null && !row)) return false;
      if (!entry.form.scopes.get(grid ?? '')?.fields.has(field)) return false;
      const cell = entry.cell(field, row);
      if (isClosed(cell)) return false;
      if (step.do === 'type') {
        entry.type(field, step.text, isoReading, row);
        return true;
      }
      // What the field held then may be none of its values now.
      const checked = checkValue(cell.wired.type, step.value, field);
      if ('problem' in checked) return false;
      entry.set(field, checked.value, null, row);
      return true;
    }
  }
}

/** The row that a place names, or in which it is. */
export function rowAt(entry: Entry, at: string): Row | undefined {
  const { grid, row } = placeIn(at);
  return grid === null || row === null ? undefined : entry.rows(grid)[row];
}

/** Every host of an entry that is there, with the beginning of its paths. */
export function* hostsOf(entry: Entry): Iterable<[Row, string]> {
  yield [entry.root, ''];
  for (const grid of entry.form.scopes.keys()) {
    if (grid === '') continue;
    for (const [i, row] of entry.rows(grid).entries()) yield [row, `${grid}[${i}].`];
  }
}

/** What is another than when it was looked last, by place. */
function changesIn(entry: Entry, known: Map<object, Map<string, Value>>): Record<string, Value> {
  const changes: Record<string, Value> = {};
  for (const [host, prefix] of hostsOf(entry)) {
    const before = known.get(host) ?? new Map<string, Value>();
    known.set(host, before);
    for (const { wired, value } of host.cells) {
      const { key } = wired.field;
      if (sameValue(before.get(key) ?? null, value)) continue;
      before.set(key, value);
      changes[`${prefix}${key}`] = value;
    }
  }
  return changes;
}
