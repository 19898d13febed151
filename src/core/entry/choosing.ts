import { say } from '../words/say';
import { awaitedBy, type Source } from '../plan/source';
import { optionChoices, tableChoices } from '../plan/choices';
import { offeredOf } from '../table/option-list';
import { problem, type Problem } from '../problems';
import { idsOf, sameValue, type Option, type Value } from '../values/types';
import type { Choice, Offer } from './asks';
import type { Cell, Living } from './host-state';
import type { Cause, Life } from './life';

/** Works out a field's choices from the values as they are; may clear its value. */
export function refreshChoices(life: Life, cell: Cell, cause: Cause): void {
  const { list } = cell.wired.sources;
  if (!list) return;
  if (list.from === 'options') return refreshOptions(life, cell, cause);
  readAgain(life, cell, list, cause);
  noteUnconfirmed(life, cell, cause);
}

/** Notes whether the value may be cleared by what the list offers; what follows from it is told where that turns. */
function noteUnconfirmed(life: Life, cell: Cell, cause: Cause): void {
  const { status } = cell.choices;
  const reading = cell.questions.get('list')?.asked != null || !life.isSure(cell);
  const now = cell.value !== null && !cell.asGiven && reading && status !== 'failed';
  if (now === cell.unconfirmed) return;
  cell.unconfirmed = now;
  life.feed(cell, 'value', cause ?? (life.opening ? null : cell.name));
}

function readAgain(life: Life, cell: Cell, list: Source, cause: Cause): void {
  cell.question('list').cause = cause;
  const given = life.given(cell);
  noteNarrowed(cell, given);
  if (given === null) {
    life.drop(cell, 'list');
    if (cell.choices.status !== 'offered') cell.choices = { status: 'asking' };
    return;
  }
  const waits = waitsFor(life, cell);
  if (waits !== null) {
    if (cell.choices.status !== 'waiting') {
      life.note(cell, { kind: 'waits', cause: waits, value: null });
    }
    cell.choices = { status: 'waiting', for: waits };
    life.drop(cell, 'list');
    cell.question('list').answeredFor = null;
    if (cell.value !== null) refuseValue(life, cell, cause);
    return;
  }
  // A list that nothing narrows is read when it is opened, unless its value or the only one is wanted.
  if (cell.value === null && cell.wired.narrowedBy.length === 0 && !list.takeOnly) {
    cell.choices = { status: 'idle' };
    life.drop(cell, 'list');
    cell.question('list').answeredFor = null;
    return;
  }
  if (life.ask(cell, 'list', given, cell.value, cause) && cell.choices.status !== 'offered') {
    cell.choices = { status: 'asking' };
  }
}

/**
 * Notes under which values a list is offered now. A value that came as it is was chosen under those that
 * came with it: under others it is one like any other.
 */
function noteNarrowed(cell: Cell, given: Record<string, Value> | null): void {
  if (given === null) return;
  const now = JSON.stringify(given);
  if (cell.narrowedTo !== null && cell.narrowedTo !== now) cell.asGiven = false;
  cell.narrowedTo = now;
}

/** Works out which values of its option list a field offers; one that belongs to another is cleared. */
function refreshOptions(life: Life, cell: Cell, cause: Cause): void {
  const sure = life.isSure(cell);
  noteNarrowed(cell, sure ? life.givenNow(cell) : null);
  if (!sure) return;
  const waits = waitsFor(life, cell);
  if (waits !== null) cell.choices = { status: 'waiting', for: waits };
  else cell.choices = { status: 'idle' };
  if (cell.value === null || offersOption(life, cell)) {
    cell.notOffered = false;
    return;
  }
  // Without a field that narrows, only what the list itself has lost is not offered: that is told.
  if (cause !== null) refuseValue(life, cell, cause);
}

/** The options of its list that a field offers now; `null` where it has no option list. */
export function offeredIn(life: Living, cell: Readonly<Cell>): Option[] | null {
  const choices = optionChoices(cell.wired.field);
  if (!choices) return null;
  if (waitsFor(life, cell) !== null) return [];
  const list = life.form.tables.lists.get(choices.list);
  const by = choices.by === null ? undefined : (life.source(cell, choices.by)?.value ?? null);
  // What the record holds stays, though it is retired.
  return offeredOf(list, by, cell.base ?? null);
}

/** Whether the value of a field is one that its option list offers now. */
export function offersOption(life: Living, cell: Readonly<Cell>): boolean {
  const offered = offeredIn(life, cell);
  return offered === null || offered.some((option) => option.value === cell.value);
}

/** Takes what a list offers: confirms the value or clears it; takes the only choice where so designed. */
export function takeOffer(life: Life, cell: Cell, offer: Offer): void {
  const { cause } = cell.question('list');
  const kind = offer.found === 0 ? 'empty' : 'offered';
  cell.choices = { status: kind, offer };
  const { found, took } = offer;
  life.note(cell, {
    kind,
    cause,
    value: cell.value,
    found,
    ...(took === undefined ? {} : { took }),
  });
  if (cell.value !== null) {
    if (cell.wired.type.kind === 'references') confirmSeveral(life, cell, offer, cause);
    else confirmOne(life, cell, offer, cause);
  }
  noteUnconfirmed(life, cell, cause);
  takeOnlyChoice(life, cell, cause);
}

/** A list that could not be read leaves the value as it is; what follows from it goes on. */
export function failChoices(life: Life, cell: Cell, found: Problem): void {
  cell.choices = { status: 'failed', problem: found };
  noteUnconfirmed(life, cell, cell.question('list').cause);
}

/** Takes the single choice that is left, where the plan says so, nobody has emptied the field, and it is shown. */
export function takeOnlyChoice(life: Life, cell: Cell, cause: Cause): void {
  const { choices, wired } = cell;
  if (!life.takesOnly || cell.value !== null || cell.rejected || cell.own) return;
  if (cell.hidden || cell.hiddenUnsure || wired.sources.list?.takeOnly !== true) return;
  if (choices.status !== 'offered' || wired.type.kind === 'references') return;
  const { found, more, choices: offered } = choices.offer;
  const only = found === 1 && !more ? offered[0] : undefined;
  if (!only) return;
  life.note(cell, { kind: 'taken', cause, value: only.value });
  putChoice(life, cell, only.value, only);
  life.feed(cell, 'value', cause ?? cell.name);
}

function confirmOne(life: Life, cell: Cell, offer: Offer, cause: Cause): void {
  cell.current = offer.current ?? offer.known ?? cell.current;
  if (offer.current) cell.notOffered = false;
  else refuseValue(life, cell, cause);
}

/** Of several records those that are no longer offered are taken out, or marked in an opened record. */
function confirmSeveral(life: Life, cell: Cell, offer: Offer, cause: Cause): void {
  const { chosen = [], others = [] } = offer;
  const offered = new Set(chosen.map((choice) => choice.value));
  const left = idsOf(cell.value).filter((id) => offered.has(id));
  cell.chosen = [...chosen, ...others];
  cell.notOffered = false;
  if (left.length === idsOf(cell.value).length) return;
  if (cell.asGiven) {
    cell.notOffered = true;
    return;
  }
  const value = left.length === 0 ? null : left;
  life.note(cell, { kind: 'cleared', cause, value, before: cell.value });
  cell.value = value;
  cell.chosen = chosen;
  life.feed(cell, 'value', cause ?? cell.name);
}

/** Puts a chosen value in place, without what follows from it; true where it is another than before. */
export function putChoice(life: Life, cell: Cell, value: Value, choice: Choice | null): boolean {
  const changed = !sameValue(cell.value, value);
  cell.value = value;
  if (cell.wired.type.kind === 'references') {
    const ids = new Set<Value>(idsOf(value));
    const known = cell.chosen.filter((c) => ids.has(c.value) && c.value !== choice?.value);
    cell.chosen = choice && ids.has(choice.value) ? [...known, choice] : known;
  } else cell.current = choice ?? (changed ? null : cell.current);
  if (changed) {
    cell.asGiven = false;
    cell.notOffered = false;
  }
  const { list } = cell.wired.sources;
  if (!list || list.from === 'options') return changed;
  if (waitsFor(life, cell) !== null) {
    // Nothing is offered while a narrowing field is empty, so nothing can be chosen.
    if (value !== null) refuseValue(life, cell, null);
    noteUnconfirmed(life, cell, null);
    return changed;
  }
  const given = life.given(cell);
  if ((choice !== null || value === null) && given !== null && stands(cell, given)) {
    // Taken from the list, or emptied: the offer stands for the new value as it is.
    const question = cell.question('list');
    const pending = question.asked !== null;
    life.ask(cell, 'list', given, value, question.cause);
    if (!pending) {
      const { asked } = question;
      life.drop(cell, 'list');
      question.answeredFor = asked ?? question.answeredFor;
    }
  } else if (changed || choice !== null) {
    readAgain(life, cell, list, null);
  }
  noteUnconfirmed(life, cell, null);
  return changed;
}

/** Whether what is offered was read under the values as they are. */
function stands(cell: Cell, given: Record<string, Value>): boolean {
  const { status } = cell.choices;
  return ['offered', 'empty', 'idle'].includes(status) && cell.narrowedTo === JSON.stringify(given);
}

/** The field that is to be filled before a source is asked; `null` where it waits for none. */
export function waitsFor(
  life: Pick<Living, 'source'>,
  cell: Readonly<Cell>,
  source: Source | null = cell.wired.sources.list,
): string | null {
  return awaitedBy(source, (field) => life.source(cell, field)?.value);
}

/** Why a value that is not offered is a problem. */
export function notOfferedProblem(cell: Readonly<Cell>) {
  const { field, type } = cell.wired;
  const { value, current } = cell;
  // Of a record that is not known the number says nothing to anybody.
  const unknown = type.kind === 'reference' ? say('what was chosen') : `“${String(value)}”`;
  const given = current ? `“${current.shown.join(' · ')}”` : unknown;
  const gone = type.kind === 'reference' && !current;
  const choices = tableChoices(field);
  const narrowed = choices !== null && choices.narrowings.length + choices.conditions.length > 0;
  return problem(gone && !narrowed ? 'record_gone' : 'not_offered', { label: field.label, given });
}

/** A value that is not offered: kept and marked where the record was opened with it, otherwise cleared. */
function refuseValue(life: Life, cell: Cell, cause: Cause): void {
  // What is hidden has the value that its condition gives it.
  const away = cell.hidden && cell.wired.field.whileHidden === 'clear';
  if (cell.asGiven || away) {
    cell.notOffered = true;
    return;
  }
  life.note(cell, { kind: 'cleared', cause, value: null, before: cell.value });
  cell.current = null;
  putChoice(life, cell, null, null);
  cell.own = false;
  life.feed(cell, 'value', cause ?? cell.name);
}
