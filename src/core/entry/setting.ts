import { tableChoices } from '../plan/choices';
import { parseText } from '../values/parse';
import type { Reading } from '../values/reading';
import type { Value } from '../values/types';
import type { Choice } from './asks';
import { putChoice } from './choosing';
import type { Cell } from './host-state';
import type { Life } from './life';
import { typeKey } from './reading';

/** Puts a value in place that a person has set, whatever was still to follow here. */
export function putValue(life: Life, cell: Cell, value: Value, choice: Choice | null): void {
  const { value: before, unsure } = cell;
  life.wake(cell);
  cell.rejected = null;
  cell.keyText = null;
  cell.own = true;
  cell.withheld = false;
  cell.unsure = false;
  cell.waitsAfter = null;
  // What is typed belongs to the record that is chosen now, also while its columns are read.
  const { broughtBy } = cell.wired;
  if (broughtBy) cell.broughtFor = cell.host.cells[broughtBy.from.index]?.value;
  life.drop(cell, 'key');
  life.note(cell, { kind: 'set', cause: null, value, before });
  const changed = putChoice(life, cell, value, choice);
  if (changed || unsure || cell.follows) life.feed(cell, 'value', cell.name);
}

/** Puts what was typed in place: its value, or the text with its problem. */
export function putText(life: Life, cell: Cell, text: string, reading: Reading): void {
  const { field, type } = cell.wired;
  if (tableChoices(field) && type.kind !== 'references') {
    life.wake(cell);
    cell.own = true;
    cell.asGiven = false;
    typeKey(life, cell, text, null);
    return;
  }
  const parsed = parseText(type, text, field.label, reading);
  putValue(life, cell, 'value' in parsed ? parsed.value : null, null);
  if ('problem' in parsed) cell.rejected = { text, problem: parsed.problem };
}
