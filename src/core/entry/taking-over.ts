import { checkValue } from '../values/parse';
import { sameValue } from '../values/types';
import { goOn, isUnsure } from './beginning';
import { putChoice } from './choosing';
import type { HostFilled } from './filled';
import type { Cell, HostState } from './host-state';
import type { Life } from './life';
import { putText } from './setting';

/** Gives the cells of a host other values, as their person left them. */
export function takeHost(life: Life, host: HostState, filled: HostFilled): void {
  const { values, own, texts = {} } = filled;
  const changed: Cell[] = [];
  for (const cell of host.cells) {
    life.wake(cell);
    const { field, type } = cell.wired;
    const given = values[field.key];
    if (cell.derived || given === undefined) continue;
    const checked = checkValue(type, given, field.label);
    const text = typeof given === 'string' ? given : JSON.stringify(given);
    cell.rejected = 'value' in checked ? null : { text, problem: checked.problem };
    const value = 'value' in checked ? checked.value : null;
    const was = cell.isChanged();
    cell.own = !own || own.includes(field.key) || !canFollowAgain(cell);
    const before = cell.value;
    const other = !sameValue(value, before);
    if (other) putChoice(life, cell, value, null);
    goOn(cell, filled);
    if (other) {
      life.note(cell, { kind: 'set', cause: null, value: cell.value, before });
      changed.push(cell);
    } else if (was !== cell.isChanged()) changed.push(cell);
  }
  // What is brought and was set by a person stays, whichever record is chosen now.
  for (const cell of host.cells) {
    const lookup = cell.wired.broughtBy && host.cells[cell.wired.broughtBy.from.index];
    if (!lookup || cell.derived) continue;
    const { key } = cell.wired.field;
    if (isUnsure(cell, filled)) cell.broughtFor = filled.brought?.[key];
    else if (values[key] !== undefined) cell.broughtFor = lookup.value;
  }
  for (const cell of changed) {
    life.feed(cell, 'value', cell.name);
    // What is given to a field that is not shown does not stand, though nothing else turns.
    if (cell.hidden) life.mark(cell, 'value', cell.name);
  }
  for (const cell of host.cells) {
    if (!cell.own && cell.follows && !cell.derived) life.mark(cell, 'value', cell.name);
  }
  retypeInto(life, host, texts);
}

/** Types again what stands in fields and is no value yet. */
export function retypeInto(
  life: Life,
  host: HostState,
  texts: Readonly<Record<string, string>>,
): void {
  for (const [key, text] of Object.entries(texts)) {
    const cell = host.cells.find(({ wired }) => wired.field.key === key);
    if (!cell || cell.derived) continue;
    const { broughtFor } = cell;
    putText(life, cell, text, life.around.reading);
    cell.broughtFor = broughtFor;
  }
}

/** Whether what a record holds can give way to what would follow, without anybody typing it. */
function canFollowAgain({ wired, base }: Cell): boolean {
  const { field, sources, shownWhen, broughtBy, initially } = wired;
  if (!initially || base === undefined || broughtBy) return true;
  const cleared = shownWhen !== null && field.whileHidden === 'clear';
  return cleared || sources.list !== null;
}
