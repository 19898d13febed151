import { fromFeel, shownFeel, toFeel } from '../formula/convert';
import { Decimal, type Feel } from '../formula/feel';
import { evaluate } from '../formula/formula';
import type { WarningCode } from '../formula/frame';
import type { EntryFormula } from '../plan/formulas';
import { askedType } from '../plan/held';
import { askedChoices, askedValue, asksOutside, tableChoices } from '../plan/schema';
import { problem, type Problem } from '../problems';
import { checkValue, type Parsed } from '../values/parse';
import { sameValue, type Value, type ValueType } from '../values/types';
import type { Cell } from './cell';
import { refreshChoices } from './choosing';
import { RecordLink } from './facts';
import { typeKey } from './reading';
import type { Cause, Life } from './life';
import type { TraceEvent } from './trace';

/** What a formula gave for a cell: a value, or why there is none; `unsure` while something is being read. */
type Worked =
  | { unsure: true }
  | { unsure: false; result: Feel; problem: Problem | null; warnings: readonly WarningCode[] };

/** Works a formula out in the host of a cell. */
export function workOut(life: Life, cell: Cell, formula: EntryFormula): Worked {
  life.met = false;
  const evaluated = evaluate(formula, cell.host, life.around.clock);
  if (life.met) return { unsure: true };
  if ('problem' in evaluated) {
    return { unsure: false, result: null, problem: evaluated.problem, warnings: [] };
  }
  const { value, warnings } = evaluated;
  return { unsure: false, result: value, problem: null, warnings };
}

/** Gives a field the value that follows from others: computed, rolled up, brought, or its default. */
export function settleValue(life: Life, cell: Cell, caused: Cause): void {
  const { wired } = cell;
  // What had to wait for an answer follows from the change it waited after, not from the answer.
  const cause = caused ?? cell.waitsAfter;
  const { field } = wired;
  const follows = cell.derived || wired.broughtBy !== null || wired.initially !== null;
  if (life.opened && cell.kept && cause === null && (follows || cell.hidden)) return;
  if (follows && cause !== null) cell.kept = false;
  if (cell.hidden && field.whileHidden === 'clear') {
    cell.own = false;
    cell.rejected = null;
    sure(life, cell, put(life, cell, null, 'cleared', cause), cause);
    return;
  }
  if (wired.computes) return derive(life, cell, wired.computes, 'computed', cause);
  if (askedValue(field)) return settleRollup(life, cell, cause);
  if (wired.broughtBy) return settleBrought(life, cell, cause);
  if (cell.own) return;
  if (wired.initially) return derive(life, cell, wired.initially, 'begins', cause);
  if (wired.shownWhen && cell.value === null && cause !== null) {
    sure(life, cell, put(life, cell, field.initial, 'begins', cause), cause);
  }
}

function derive(
  life: Life,
  cell: Cell,
  formula: EntryFormula,
  kind: 'computed' | 'begins',
  cause: Cause,
): void {
  const worked = workOut(life, cell, formula);
  if (worked.unsure) return wait(cell, cause);
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
    return sure(life, cell, changed, cause);
  }
  const made = worked.problem
    ? { problem: worked.problem }
    : canonicalOf(cell.wired.type, worked.result, field.label);
  if ('problem' in made) {
    const text = worked.result === null ? '' : shownFeel(worked.result);
    cell.rejected = { text, problem: made.problem };
    return sure(life, cell, put(life, cell, null, kind, cause), cause);
  }
  cell.rejected = null;
  sure(life, cell, put(life, cell, made.value, kind, cause), cause);
}

/** A number that fits into a field of decimals, rounded half up to its places; `null` for all else. */
function rounded(type: ValueType, result: Feel): { value: string; feel: Feel } | null {
  if (type.kind !== 'decimal' || !Decimal.isDecimal(result)) return null;
  const feel = (result as Decimal).toDecimalPlaces(type.scale, Decimal.ROUND_HALF_UP);
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

function settleRollup(life: Life, cell: Cell, cause: Cause): void {
  const question = cell.question('rollup');
  const failed = question.failed !== null && !asksOutside(cell.wired.field);
  if (question.asked !== null || failed || life.given(cell) === null) {
    return wait(cell, cause);
  }
  const { field, type } = cell.wired;
  const rolled = toFeel(askedType(field, life.form.tables), cell.rolled);
  const made = canonicalOf(type, rolled ?? null, field.label);
  cell.rejected = 'value' in made ? null : { text: String(cell.rolled), problem: made.problem };
  const value = 'value' in made ? made.value : null;
  sure(life, cell, put(life, cell, value, 'rolled up', cause), cause);
}

/** Takes what the chosen record brings: always the latest where it is live, once for each record where kept. */
function settleBrought(life: Life, cell: Cell, cause: Cause): void {
  const { broughtBy } = cell.wired;
  if (!broughtBy) return;
  const { from, bring } = broughtBy;
  const lookup = cell.host.cells[from.index];
  if (!lookup) return;
  const record = lookup.value;
  if (lookup.unsure || lookup.facts.record !== record) {
    if (life.resting) life.miss(lookup);
    return wait(cell, cause);
  }
  if (record === null && (cell.broughtFor ?? null) === null) {
    cell.broughtFor = null;
    return sure(life, cell, false, cause);
  }
  const another = cell.broughtFor !== record;
  if (!another && (bring.keeps === 'kept' || cell.own)) return sure(life, cell, false, cause);
  const path = bring.path ?? (bring.by === null ? null : cell.host.cell(bring.by).value);
  const brought = path === null ? null : (lookup.facts.values?.[String(path)] ?? null);
  cell.broughtFor = record;
  if (another) cell.own = false;
  cell.rejected = null;
  const fitting = checkValue(cell.wired.type, broughtValue(cell, brought), cell.wired.field.label);
  if ('problem' in fitting) cell.rejected = { text: String(brought), problem: fitting.problem };
  const value = 'value' in fitting ? fitting.value : null;
  sure(life, cell, put(life, cell, value, 'brought', cause ?? lookup.name), cause);
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
  const took = kind === 'rolled up' && cell.took !== undefined ? { took: cell.took } : {};
  life.note(cell, { kind, cause, value, before, ...took });
  if (askedChoices(cell.wired.field)) refreshChoices(life, cell, cause);
  return true;
}

/** The value follows from something that is still being read. */
function wait(cell: Cell, cause: Cause): void {
  cell.unsure = true;
  cell.waitsAfter = cause;
}

/** The value is known: what follows from it is worked out where it changed, or was not sure before. */
function sure(life: Life, cell: Cell, changed: boolean, cause: Cause): void {
  const was = cell.unsure;
  cell.unsure = false;
  cell.waitsAfter = null;
  if (changed || was) life.feed(cell, 'value', cause);
}
