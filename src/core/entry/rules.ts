import { shownFeel } from '../formula/convert';
import type { EntryFormula } from '../plan/formulas';
import type { Problem } from '../problems';
import type { FieldNode } from '../wiring/graph';
import type { Cell } from './host-state';
import type { Cause, Life } from './life';
import { saidPlainly } from './said';
import { workOut } from './working-out';

/** Works out whether a field is shown, required or locked, or whether a check holds. */
export function settleRule(life: Life, cell: Cell, node: FieldNode, cause: Cause): void {
  const { wired } = cell;
  switch (node.aspect) {
    case 'shown':
      return settleShown(life, cell, cause);
    case 'required':
      return whenKnown(life, cell, wired.requiredWhen, (holds) => (cell.required = holds === true));
    case 'locked':
      return whenKnown(life, cell, wired.lockedWhen, (holds, _, changed) => {
        cell.locked = holds === true;
        cell.lockedChanged = changed;
      });
    default:
      return settleCheck(life, cell, node.check, cause);
  }
}

/** While what it hangs on is being read, a field is shown as it was; what follows from that waits. */
function settleShown(life: Life, cell: Cell, cause: Cause): void {
  const { shownWhen } = cell.wired;
  if (!shownWhen) return;
  const before = [cell.hidden, cell.hiddenUnsure, cell.hiddenChanged];
  const worked = workOut(life, cell, shownWhen);
  cell.hiddenUnsure = worked.unsure;
  if (!worked.unsure) {
    cell.hidden = worked.problem !== null || worked.result !== true;
    cell.hiddenChanged = !cell.host.based || worked.changed;
    if (cause !== null && cell.hidden !== before[0]) {
      life.note(cell, { kind: cell.hidden ? 'hidden' : 'shown', cause, value: cell.value });
    }
  }
  const now = [cell.hidden, cell.hiddenUnsure, cell.hiddenChanged];
  if (life.resting || now.some((part, i) => part !== before[i])) life.feed(cell, 'shown', cause);
}

/** A check that gives nothing, because something is not filled in, does not stop a save. */
function settleCheck(life: Life, cell: Cell, place: number, cause: Cause): void {
  const check = cell.wired.checks[place];
  if (!check) return;
  whenKnown(life, cell, check.holds, (holds, failed) => {
    if (holds !== false) {
      if (cell.refuse(place, null)) life.note(cell, { kind: 'holds', cause, value: null });
      return;
    }
    // A check that comes to no end says so, and not what it would have said.
    const message =
      failed?.message ??
      check.message
        .map((part) => (typeof part === 'string' ? part : said(life, cell, part)))
        .join('');
    if (!cell.refuse(place, message)) return;
    life.note(cell, { kind: 'refused', cause, value: cell.value, message });
  });
}

/** A field that is named plainly is said as people read it, any other formula as it comes out. */
function said(life: Life, cell: Cell, part: EntryFormula): string {
  const plain = saidPlainly(cell.host, part);
  if (plain !== null) return plain;
  const worked = workOut(life, cell, part);
  return worked.unsure ? '…' : shownFeel(worked.result);
}

function whenKnown(
  life: Life,
  cell: Cell,
  formula: EntryFormula | null,
  take: (holds: unknown, failed: Problem | null, changed: boolean) => void,
): void {
  if (!formula) return;
  const worked = workOut(life, cell, formula);
  if (worked.unsure) return;
  take(worked.problem ? false : worked.result, worked.problem, worked.changed);
}
