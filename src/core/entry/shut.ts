import { evaluate } from '../formula/formula';
import type { EntryFormula } from '../plan/formulas';
import { sameValue } from '../values/types';
import type { WiredForm } from '../wiring/form';
import type { WiredField } from '../wiring/wired';
import { gridRead, readField } from '../wiring/sources';
import type { Cell } from './host-state';
import { canonicalOf } from './working-out';

/**
 * Whether nobody can have put another value in: the field is only shown, or not at all; or it is locked, or
 * kept while hidden, and nothing that this hangs on was changed. A field that somebody filled and then
 * locked by another is not shut.
 */
export function isShut(cell: Readonly<Cell>): boolean {
  const { wired, host } = cell;
  // What passes through is another system's; only what can be set is written there.
  if (cell.derived || host.life.form.plan.through) return false;
  if (!isOpen(wired)) return true;
  if (cell.locked && !hangs(cell, wired.lockedWhen, cell.lockedChanged)) return true;
  const kept = cell.hidden && wired.field.whileHidden === 'keep';
  return kept && !hangs(cell, wired.shownWhen, cell.hiddenChanged);
}

/** Whether a condition hangs on what somebody has changed; in a new record, on what anybody could change. */
function hangs(
  { host, wired }: Readonly<Cell>,
  formula: EntryFormula | null,
  changed: boolean,
): boolean {
  if (host.based) return changed;
  return formula !== null && hangsOnTyping(host.life.form, wired.scope, formula);
}

/** Whether a field holds what the record holds, what it began with, or what followed: nothing that was put in. */
export function isUntouched(cell: Readonly<Cell>): boolean {
  const { wired, value, base, host } = cell;
  const { field } = wired;
  if (cell.follows && !cell.own) return true;
  if (cell.rejected !== null) return false;
  if (base !== undefined && sameValue(value, base)) return true;
  // What somebody has claimed as theirs there does not follow any more, whatever it is.
  if (cell.follows) return false;
  if (base === undefined && sameValue(value, field.initial)) return true;
  if (value === null && isEmptied(cell)) return true;
  if (isOnlyChoice(cell) || isFromButton(cell)) return true;
  // An address carries values into a new record, as if they were typed there.
  const carried = host.parent === null && field.savesTo !== null;
  return !host.based && carried && host.life.around.link[`with.${field.savesTo}`] !== undefined;
}

/** Whether a field can be empty by itself: its condition or its list has emptied it. */
function isEmptied(cell: Readonly<Cell>): boolean {
  const { wired, host } = cell;
  const { field } = wired;
  if (field.whileHidden === 'clear' && wired.shownWhen !== null) {
    // Shown again, a field of a new record begins with its default.
    if (cell.hidden || (host.based && cell.hiddenChanged)) return true;
  }
  const { life } = host;
  return (
    wired.sources.list !== null &&
    (!host.based || wired.narrowedBy.some((name) => life.source(cell, name)?.isChanged()))
  );
}

function isOnlyChoice({ wired, choices, notOffered, value }: Readonly<Cell>): boolean {
  if (wired.sources.list?.takeOnly !== true || choices.status !== 'offered') return false;
  return choices.offer.found === 1 && !choices.offer.more && !notOffered && value !== null;
}

/** Whether a button of the form gives the field this value; one that follows from others may be any. */
function isFromButton(cell: Readonly<Cell>): boolean {
  const { host, wired, value } = cell;
  const { life } = host;
  return setBy(life.form, wired).some((to) => {
    if (to.reads.length > 0 || to.usesClock) return true;
    const given = evaluate(to, host, life.around.clock, life.budget);
    const made = 'value' in given ? canonicalOf(wired.type, given.value, wired.field.label) : null;
    return made !== null && 'value' in made && sameValue(made.value, value);
  });
}

/** Whether somebody can fill a field at some time: at its control, which is not always locked. */
function isOpen({ field, shownWhen, lockedWhen }: WiredField): boolean {
  // Shown only while it is locked, it can be filled at no time.
  if (shownWhen && shownWhen.source.trim() === lockedWhen?.source.trim()) return false;
  return field.shows === 'input';
}

/** What buttons set a field to. */
function setBy(form: WiredForm, { scope, field }: WiredField): EntryFormula[] {
  if (scope !== '') return [];
  return form.buttons.flatMap(({ steps }) =>
    steps.flatMap((step) => (step.do === 'set' && step.field === field.key ? [step.to] : [])),
  );
}

/** Whether a formula can come out otherwise by something that somebody types, chooses, adds or takes out. */
function hangsOnTyping(
  form: WiredForm,
  scope: string,
  formula: EntryFormula,
  seen = new Set<WiredField>(),
): boolean {
  const from = form.scopes.get(scope);
  if (!from) return false;
  return formula.reads.some((path) => {
    if (gridRead(form.scopes, from, path) !== null) return true;
    const read = readField(form.scopes, from, path)?.wired;
    return read !== undefined && isTyped(form, read, seen);
  });
}

function isTyped(form: WiredForm, wired: WiredField, seen: Set<WiredField>): boolean {
  if (seen.has(wired)) return false;
  seen.add(wired);
  const { scope, computes, broughtBy } = wired;
  if (computes) return hangsOnTyping(form, scope, computes, seen);
  // What is asked for may have become another meanwhile, whoever typed what.
  if (wired.sources.value) return true;
  if (broughtBy && !broughtBy.bring.editable) return isTyped(form, broughtBy.from, seen);
  return isOpen(wired) || setBy(form, wired).length > 0;
}
