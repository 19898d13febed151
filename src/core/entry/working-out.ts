import { isNumber, Decimal, type Feel } from '../formula/feel';
import { fromFeel, shownFeel, toFeel } from '../formula/convert';
import { evaluate } from '../formula/formula';
import type { WarningCode } from '../formula/frame';
import type { EntryFormula } from '../plan/formulas';
import { askedType } from '../plan/held';
import { tableChoices } from '../plan/choices';
import { problem, type Problem } from '../problems';
import { checkValue, type Parsed } from '../values/parse';
import { sameValue, type Value, type ValueType } from '../values/types';
import type { Cell } from './host-state';
import { refreshChoices, takeOnlyChoice } from './choosing';
import { RecordLink } from './records';
import { askValue, typeKey } from './reading';
import type { Cause, Life } from './life';
import type { TraceEvent } from './trace';

/** What a formula gave for a cell: a value, or why there is none; `unsure` while something is being read. */
export type Worked =
  | { unsure: true }
  | {
      unsure: false;
      result: Feel;
      problem: Problem | null;
      warnings: readonly WarningCode[];
      /** Whether it read something that is another than in the record; looked at in a record only. */
      changed: boolean;
    };

/** Works a formula out in the host of a cell. */
export function workOut(life: Life, cell: Cell, formula: EntryFormula): Worked {
  life.met = false;
  life.sawChange = false;
  life.watching = cell.host.based;
  const evaluated = evaluate(formula, cell.host, life.around.clock, life.budget);
  life.watching = false;
  if (life.met) return { unsure: true };
  const changed = life.sawChange;
  if ('problem' in evaluated) {
    const { problem: found } = evaluated;
    return { unsure: false, result: null, problem: found, warnings: [], changed };
  }
  const { value, warnings } = evaluated;
  return { unsure: false, result: value, problem: null, warnings, changed };
}

/**
 * Gives a field the value that follows from others: computed, rolled up, brought, or its default. What a
 * record holds stands as long as nothing is changed that it follows from, and comes back when that is
 * set back: the state of an entry hangs on what people have put in, not on the way that led there.
 */
export function settleValue(life: Life, cell: Cell, caused: Cause): void {
  const { wired } = cell;
  // What had to wait for an answer follows from the change it waited after, not from the answer.
  const cause = caused ?? cell.waitsAfter;
  const { field } = wired;
  const inRecord = cell.base !== undefined;
  // Nothing is worked out only because a record is opened.
  if (inRecord && life.opening) return sure(life, cell, false, cause);
  // What a record holds stands or is worked out anew by whether it is shown, also where it is kept.
  const hangs = field.whileHidden === 'clear' || (inRecord && cell.follows);
  if (cell.hiddenUnsure && hangs) return wait(life, cell, cause);
  if (field.whileHidden === 'clear') {
    if (cell.hidden && inRecord && !cell.hiddenChanged) return restore(life, cell, cause);
    if (cell.hidden) return clear(life, cell, cause);
  }
  if (wired.computes) return derive(life, cell, wired.computes, 'computed', cause);
  if (wired.sources.value) return settleRead(life, cell, cause);
  if (wired.broughtBy) return settleBrought(life, cell, cause);
  // Its formula cannot be used: the checkup says so, and what the record holds stands.
  if (cell.derived) return restore(life, cell, cause);
  if (cell.own) return sure(life, cell, false, cause);
  if (wired.initially) return derive(life, cell, wired.initially, 'begins', cause);
  settlePlain(life, cell, cause);
}

/** What a field begins with that is shown now: what the record holds, or its default; or the only choice. */
function settlePlain(life: Life, cell: Cell, cause: Cause): void {
  const { wired, base } = cell;
  const appears = wired.shownWhen !== null && !cell.hidden && !cell.hiddenUnsure;
  if (appears && cell.withheld) {
    cell.withheld = false;
    // Defaults are for new records: an empty field of a stored one is as it was left.
    const held = cell.hiddenChanged ? null : (base ?? null);
    const begins = base === undefined ? wired.field.initial : held;
    const changed = put(life, cell, begins, 'begins', cause);
    if (changed && base !== undefined) cell.own = true;
    sure(life, cell, changed, cause);
  } else sure(life, cell, false, cause);
  takeOnlyChoice(life, cell, cause);
}

/** Empties a field that is not shown. */
function clear(life: Life, cell: Cell, cause: Cause): void {
  cell.own = false;
  cell.rejected = null;
  cell.keyText = null;
  life.drop(cell, 'key');
  follow(life, cell, put(life, cell, null, 'cleared', cause), true, cause);
  Object.assign(cell, { asGiven: false, withheld: true, broughtFor: undefined });
}

/** Gives a field what the record holds for it. */
function restore(life: Life, cell: Cell, cause: Cause): void {
  const base = cell.base ?? null;
  if (!sameValue(cell.value, base)) Object.assign(cell, { asGiven: true, narrowedTo: null });
  const changed = put(life, cell, base, 'begins', cause);
  cell.own = !cell.derived;
  cell.withheld = false;
  cell.rejected = null;
  if (cell.wired.broughtBy) cell.broughtFor = lookupOf(cell)?.value ?? null;
  follow(life, cell, changed, false, cause);
}

/** Notes whether a value follows from a change; what follows from it in turn is told where that turns. */
function follow(life: Life, cell: Cell, changed: boolean, change: boolean, cause: Cause): void {
  const turned = cell.host.based && cell.followsChange !== change;
  if (cell.host.based) cell.followsChange = change;
  sure(life, cell, changed || turned, cause);
}

function derive(
  life: Life,
  cell: Cell,
  formula: EntryFormula,
  kind: 'computed' | 'begins',
  cause: Cause,
): void {
  const worked = workOut(life, cell, formula);
  if (worked.unsure) return wait(life, cell, cause);
  const change = worked.changed || cell.hiddenChanged;
  if (cell.base !== undefined && !change) return restore(life, cell, cause);
  for (const warning of worked.warnings) {
    life.note(cell, { kind: 'warned', cause, value: null, warning });
  }
  const { field } = cell.wired;
  const typedBy = tableChoices(field)?.typedBy;
  if (typedBy && typeof worked.result === 'string') {
    cell.unsure = false;
    if (cell.keyText !== worked.result) typeKey(life, cell, worked.result, cause);
    return;
  }
  const exact = worked.problem ? null : rounded(cell.wired.type, worked.result);
  if (exact) {
    cell.rejected = null;
    const changed = put(life, cell, exact.value, kind, cause, exact.feel);
    return follow(life, cell, changed, change, cause);
  }
  const made = worked.problem
    ? { problem: worked.problem }
    : canonicalOf(cell.wired.type, worked.result, field.label);
  const text = worked.result === null ? '' : shownFeel(worked.result);
  cell.rejected = 'problem' in made ? { text, problem: made.problem } : null;
  const value = 'problem' in made ? null : made.value;
  follow(life, cell, put(life, cell, value, kind, cause), change, cause);
}

/** A number that fits into a field of decimals, rounded half up to its places; `null` for all else. */
function rounded(type: ValueType, result: Feel): { value: string; feel: Feel } | null {
  if (type.kind !== 'decimal' || !isNumber(result)) return null;
  const feel = result.toDecimalPlaces(type.scale, Decimal.ROUND_HALF_UP);
  if (feel.isZero() || feel.e >= type.precision - type.scale) return null;
  return { value: feel.toFixed(type.scale), feel };
}

/** A formula's result as a value of a type, or why it is none. A record becomes the link to it. */
export function canonicalOf(type: ValueType, result: Feel, label: string): Parsed {
  const value = result instanceof RecordLink ? result.id : fromFeel(type, result);
  if (value === null) return { value };
  if (value === undefined) {
    return { problem: problem('result_misfit', { label, given: shownFeel(result) }) };
  }
  return checkValue(type, value, label);
}

function settleRead(life: Life, cell: Cell, cause: Cause): void {
  const question = cell.question('value');
  if (life.given(cell) === null) return wait(life, cell, cause);
  const change = life.isAskedAnew(cell);
  if (cell.base !== undefined && !change) return restore(life, cell, cause);
  // Shown again, it is asked for: while it was as in the record it was not.
  if (cell.base !== undefined && question.asked === null && question.answeredFor === null) {
    askValue(life, cell, cause);
  }
  const failed = question.failed !== null && cell.wired.sources.value?.whenFailed === 'stops';
  if (question.asked !== null || failed) return wait(life, cell, cause);
  const { field, type } = cell.wired;
  const rolled = toFeel(askedType(field, life.form.tables), cell.readValue);
  const made = canonicalOf(type, rolled ?? null, field.label);
  cell.rejected = 'value' in made ? null : { text: String(cell.readValue), problem: made.problem };
  const value = 'value' in made ? made.value : null;
  follow(life, cell, put(life, cell, value, 'totalled', cause), change, cause);
}

/** Takes what the chosen record brings: always the latest where it is live, once for each record where kept. */
function settleBrought(life: Life, cell: Cell, cause: Cause): void {
  const { broughtBy } = cell.wired;
  const lookup = lookupOf(cell);
  if (!broughtBy || !lookup) return;
  const { bring } = broughtBy;
  const record = lookup.value;
  const by = bring.by === null ? null : cell.host.cell(bring.by);
  if (lookup.waits || by?.waits) return wait(life, cell, cause);
  const change = lookup.isChanged() || by?.isChanged() === true || cell.hiddenChanged;
  const another = (cell.broughtFor ?? null) !== record;
  if (cell.base !== undefined && !change && (another || !cell.own)) {
    return restore(life, cell, cause);
  }
  if (!another && cell.own) return follow(life, cell, false, change, cause);
  if (record === null && !another) {
    cell.broughtFor = null;
    const emptied = cell.derived && put(life, cell, null, 'brought', cause);
    return follow(life, cell, emptied, change, cause);
  }
  if (lookup.columns.record !== record) {
    if (life.resting) life.miss(lookup);
    return wait(life, cell, cause);
  }
  const known = cell.broughtFor === record;
  if (known && bring.keeps === 'kept') return follow(life, cell, false, change, cause);
  const path = bring.path ?? by?.value ?? null;
  const brought = path === null ? null : (lookup.columns.values?.[String(path)] ?? null);
  cell.broughtFor = record;
  cell.own = false;
  const fitting = checkValue(cell.wired.type, broughtValue(cell, brought), cell.wired.field.label);
  cell.rejected = 'problem' in fitting ? { text: String(brought), problem: fitting.problem } : null;
  const value = 'value' in fitting ? fitting.value : null;
  follow(life, cell, put(life, cell, value, 'brought', cause ?? lookup.name), change, cause);
}

/** The lookup that brings a value, in the same host. */
function lookupOf(cell: Cell): Cell | undefined {
  const { broughtBy } = cell.wired;
  return broughtBy ? cell.host.cells[broughtBy.from.index] : undefined;
}

/** What another type writes otherwise: any value as text. */
function broughtValue(cell: Cell, brought: Value): Value {
  const textual = ['text', 'long_text'].includes(cell.wired.type.kind);
  return textual && brought !== null && typeof brought !== 'string' ? String(brought) : brought;
}

/** Puts a value in place as something that followed; true where it is another than before. */
function put(
  life: Life,
  cell: Cell,
  value: Value,
  kind: TraceEvent['kind'],
  cause: Cause,
  feel?: Feel,
): boolean {
  const before = cell.value;
  if (sameValue(before, value)) return false;
  cell.hold(value, feel);
  cell.notOffered = false;
  cell.current = null;
  const took = kind === 'totalled' && cell.took !== undefined ? { took: cell.took } : {};
  life.note(cell, { kind, cause, value, before, ...took });
  const { list } = cell.wired.sources;
  if (list && list.from !== 'options') {
    // How it is shown is known no more.
    cell.question('list').answeredFor = null;
    refreshChoices(life, cell, cause);
  }
  return true;
}

/** The value follows from something that is still being read. */
function wait(life: Life, cell: Cell, cause: Cause): void {
  const was = cell.unsure;
  cell.unsure = true;
  cell.waitsAfter = cause;
  // What follows from it waits too: no answer to another ask may be taken for the last word.
  if (!was) life.feed(cell, 'value', cause);
}

/** The value is known: what follows from it is worked out where it changed, or was not sure before. */
function sure(life: Life, cell: Cell, changed: boolean, cause: Cause): void {
  const was = cell.unsure;
  cell.unsure = false;
  cell.waitsAfter = null;
  if (changed || was) life.feed(cell, 'value', cause);
}
