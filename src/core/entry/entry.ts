import { problem, type Problem } from '../problems';
import { tableChoices, type TableChoices } from '../plan/schema';
import { checkValue, isoReading, parseText, type Reading } from '../values/parse';
import type { Value } from '../values/types';
import type { WiredForm, WiredField } from '../wiring/form';
import { standingAskId, type Answer, type Choice, type Offer, type StandingAsk } from './asks';

/** What is known of the choices of a field that takes them from a table. */
export type ChoicesState =
  /** Nothing was asked yet; the list is read when it is opened. */
  | { status: 'idle' }
  /** A narrowing field is empty. */
  | { status: 'waiting'; for: string }
  | { status: 'asking' }
  | { status: 'offered' | 'empty'; offer: Offer }
  | { status: 'failed'; problem: Problem };

/** Something that happened in an entry, and why. */
export interface TraceEvent {
  kind: 'set' | 'offered' | 'empty' | 'waits' | 'cleared' | 'taken' | 'failed';
  field: string;
  /** The field whose change led to it; `null` where a person did it. */
  cause: string | null;
  value: Value;
  /** Rows found, for offered. */
  found?: number;
  /** Milliseconds of the read. */
  took?: number;
}

interface FieldState {
  value: Value;
  /** What was typed and is no value of the type, with the reason. */
  rejected: { text: string; problem: Problem } | null;
  /** The chosen record or value as it is shown. */
  current: Choice | null;
  choices: ChoicesState;
  /** The ask that is out, or must go out. */
  asked: StandingAsk | null;
  /** What the last answer was given for. */
  answeredFor: string | null;
  /** Came with the opened record and no narrowing field has changed since: marked, never cleared. */
  kept: boolean;
  /** Known not to be among the choices. */
  notOffered: boolean;
  cause: string | null;
}

/** How an entry begins. */
export interface Beginning {
  values?: Readonly<Record<string, unknown>>;
  /** `new` clears what is not offered; `opened` marks it (a stored record, or a draft). */
  mode: 'new' | 'opened';
  /** Whether a single remaining choice is taken where the plan says so; a new entry does. */
  takes?: boolean;
}

const longestTrace = 500;

/**
 * One filling of a form: values, choices and what follows from a change. It reads nothing by itself:
 * `asks()` says what it needs to know, `answer()` takes the results, in any order; an answer to a
 * question that is no longer current is dropped.
 */
export class Entry {
  readonly form: WiredForm;
  readonly trace: TraceEvent[] = [];
  readonly #fields = new Map<string, FieldState>();
  #takes: boolean;

  constructor(form: WiredForm, beginning: Beginning = { mode: 'new' }) {
    this.form = form;
    this.#takes = beginning.takes ?? beginning.mode === 'new';
    for (const [key, wired] of form.fields) {
      const state = emptyState();
      const given = beginning.values ? beginning.values[key] : wired.field.initial;
      const checked = checkValue(wired.type, given, wired.field.label);
      if ('value' in checked) state.value = checked.value;
      else state.rejected = { text: rejectedText(given), problem: at(key, checked.problem) };
      state.kept = beginning.mode === 'opened' && state.value !== null;
      this.#fields.set(key, state);
    }
    for (const key of form.order) this.#refresh(key, null);
  }

  /**
   * An entry in the middle of its life: everything at rest but the fields in `wanted`, which ask.
   * So a server can see what follows from the answers to a screen's asks.
   */
  static resume(
    form: WiredForm,
    values: Readonly<Record<string, unknown>>,
    wanted: Iterable<string>,
  ): Entry {
    const entry = new Entry(form, { mode: 'opened', values });
    const asking = new Set(wanted);
    for (const [key, state] of entry.#fields) {
      if (asking.has(key)) {
        state.kept = false;
      } else if (state.asked) {
        state.answeredFor = state.asked.id;
        state.asked = null;
      }
    }
    entry.#takes = true;
    entry.trace.length = 0;
    return entry;
  }

  /** The value of a field in canonical form. Throws for a key that is no field. */
  value(key: string): Value {
    return this.#state(key).value;
  }

  /** All values by field key. */
  values(): Record<string, Value> {
    return Object.fromEntries([...this.#fields].map(([key, state]) => [key, state.value]));
  }

  /** What was typed into a field and could not be read. */
  rejectedText(key: string): string | null {
    return this.#state(key).rejected?.text ?? null;
  }

  /** The chosen choice as it is shown, where it is known. */
  current(key: string): Choice | null {
    return this.#state(key).current;
  }

  /** The state of a field's choices. */
  choices(key: string): ChoicesState {
    return this.#state(key).choices;
  }

  /** Whether the field's value is known not to be among its choices. */
  notOffered(key: string): boolean {
    return this.#state(key).notOffered;
  }

  /** Sets a value, as a person does; `choice` is the row of the list it was taken from. */
  set(key: string, value: Value, choice: Choice | null = null): void {
    const state = this.#state(key);
    state.rejected = null;
    this.#note({ kind: 'set', field: key, cause: null, value });
    const changed = this.#change(key, value, choice);
    const waits = this.#waitsFor(tableChoices(this.#wired(key).field));
    // Nothing is offered while a narrowing field is empty, so nothing can be chosen.
    if (waits !== null && state.value !== null) this.#refuse(key, waits);
    if (changed) this.#follow(key);
  }

  /** Takes what was typed: sets the value, or keeps the text with its problem and empties the value. */
  type(key: string, text: string, reading: Reading = isoReading): void {
    const { field, type } = this.#wired(key);
    const parsed = parseText(type, text, field.label, reading);
    if ('value' in parsed) return this.set(key, parsed.value);
    this.set(key, null);
    this.#state(key).rejected = { text, problem: at(key, parsed.problem) };
  }

  /** What must be read now. Each standing question is given until its answer has come. */
  asks(): StandingAsk[] {
    return [...this.#fields.values()].flatMap((state) => (state.asked ? [state.asked] : []));
  }

  /** Takes answers, in any order, with any that follow from them; gives how many were no longer wanted. */
  answer(answers: readonly Answer[]): number {
    const byId = new Map(answers.map((answer) => [answer.id, answer]));
    const used = new Set<string>();
    for (let bound = this.form.fields.size * 2 + 2; bound > 0; bound--) {
      const next = this.asks().find((ask) => byId.has(ask.id) && !used.has(ask.id));
      const answer = next && byId.get(next.id);
      if (!next || !answer) break;
      used.add(next.id);
      this.#apply(next, answer);
    }
    return answers.length - used.size;
  }

  /** Asks again what failed. */
  retry(): void {
    for (const [key, state] of this.#fields) {
      if (state.choices.status !== 'failed') continue;
      state.answeredFor = null;
      this.#refresh(key, state.cause);
    }
  }

  /** Every problem of the entry as it stands, in form order. */
  problems(): Problem[] {
    return [...this.form.fields.keys()].flatMap((key) => {
      const found = this.#problemOf(key);
      return found ? [found] : [];
    });
  }

  #problemOf(key: string): Problem | null {
    const { field, type } = this.#wired(key);
    const state = this.#state(key);
    if (state.rejected) return state.rejected.problem;
    if (state.value === null) {
      return field.required ? problem('required', { label: field.label }, key) : null;
    }
    const checked = checkValue(type, state.value, field.label);
    if ('problem' in checked) return at(key, checked.problem);
    if (field.choices?.kind === 'values') {
      const { value } = state;
      if (!field.choices.values.some((option) => option.value === value)) {
        return this.#notOfferedProblem(key);
      }
    }
    return state.notOffered ? this.#notOfferedProblem(key) : null;
  }

  #notOfferedProblem(key: string): Problem {
    const { field, type } = this.#wired(key);
    const { value, current } = this.#state(key);
    const given = current ? current.shown.join(' · ') : String(value);
    const code = type.kind === 'reference' && !current ? 'record_gone' : 'not_offered';
    const choices = tableChoices(field);
    const narrowed = choices !== null && choices.narrowings.length + choices.conditions.length > 0;
    return problem(narrowed ? 'not_offered' : code, { label: field.label, given }, key);
  }

  /** Brings the dependents of a changed field up to date, nearest first, each once. */
  #follow(changed: string): void {
    const touched = new Set(this.#wired(changed).narrows);
    for (const key of this.form.order) {
      if (!touched.has(key)) continue;
      const before = this.#state(key).value;
      this.#state(key).kept = false;
      this.#refresh(key, changed);
      if (this.#state(key).value !== before) {
        for (const next of this.#wired(key).narrows) touched.add(next);
      }
    }
  }

  /** Works out a field's choices from the values as they are; may clear its value. */
  #refresh(key: string, cause: string | null): void {
    const wired = this.#wired(key);
    const choices = tableChoices(wired.field);
    if (!choices) return;
    const state = this.#state(key);
    state.cause = cause;
    const waitsFor = this.#waitsFor(choices);
    if (waitsFor !== null) {
      if (state.choices.status !== 'waiting') {
        this.#note({ kind: 'waits', field: key, cause: waitsFor, value: null });
      }
      state.choices = { status: 'waiting', for: waitsFor };
      state.asked = null;
      state.answeredFor = null;
      if (state.value !== null) this.#refuse(key, cause);
      return;
    }
    const given = this.#given(wired);
    const id = standingAskId(key, given, state.value);
    if (state.answeredFor === id) return;
    if (!this.#mustAsk(wired, choices, state)) {
      state.choices = { status: 'idle' };
      state.asked = null;
      return;
    }
    state.asked = { id, field: key, given, current: state.value };
    state.answeredFor = null;
    if (state.choices.status !== 'offered') state.choices = { status: 'asking' };
  }

  /** A list that nothing narrows is read when it is opened, unless its value or the only one is wanted. */
  #mustAsk(wired: WiredField, choices: TableChoices, state: FieldState): boolean {
    return state.value !== null || wired.narrowedBy.length > 0 || choices.takeOnly;
  }

  #apply(ask: StandingAsk, answer: Answer): void {
    const key = ask.field;
    const state = this.#state(key);
    state.asked = null;
    state.answeredFor = ask.id;
    if ('failed' in answer) {
      state.choices = { status: 'failed', problem: at(key, answer.failed) };
      this.#note({ kind: 'failed', field: key, cause: state.cause, value: state.value });
      return;
    }
    const status = answer.found === 0 ? 'empty' : 'offered';
    state.choices = { status, offer: answer };
    this.#note({
      kind: status,
      field: key,
      cause: state.cause,
      value: state.value,
      found: answer.found,
      took: answer.took,
    });
    if (state.value !== null) {
      state.current = answer.current ?? answer.known ?? state.current;
      if (answer.current) state.notOffered = false;
      else if (this.#refuse(key, state.cause)) this.#follow(key);
    }
    const only = answer.found === 1 && !answer.more ? answer.choices[0] : undefined;
    const takes = this.#takes && tableChoices(this.#wired(key).field)?.takeOnly === true;
    if (only && takes && state.value === null && !state.rejected) {
      this.#note({ kind: 'taken', field: key, cause: state.cause, value: only.value });
      this.#change(key, only.value, only);
      this.#follow(key);
    }
  }

  /** A value that is not offered: kept and marked where the record was opened with it, otherwise cleared. */
  #refuse(key: string, cause: string | null): boolean {
    const state = this.#state(key);
    if (state.kept) {
      state.notOffered = true;
      return false;
    }
    this.#note({ kind: 'cleared', field: key, cause, value: state.value });
    return this.#change(key, null, null);
  }

  /** Puts a value in place without following it; true where it is another than before. */
  #change(key: string, value: Value, choice: Choice | null): boolean {
    const state = this.#state(key);
    const changed = state.value !== value;
    state.value = value;
    state.current = choice ?? (changed ? null : state.current);
    if (changed) {
      state.kept = false;
      state.notOffered = false;
    }
    const wired = this.#wired(key);
    const choices = tableChoices(wired.field);
    if (!choices || this.#waitsFor(choices) !== null) return changed;
    if (choice !== null || value === null) {
      // Taken from the list, or emptied: the offer stands for the new value as it is.
      const pending = state.asked !== null;
      state.answeredFor = standingAskId(key, this.#given(wired), value);
      state.asked = null;
      if (pending) this.#reask(key);
    } else if (changed) {
      this.#refresh(key, null);
    }
    return changed;
  }

  /** The value changed while its list was being read: read it for the new value. */
  #reask(key: string): void {
    this.#state(key).answeredFor = null;
    this.#refresh(key, this.#state(key).cause);
  }

  #waitsFor(choices: TableChoices | null): string | null {
    const waiting = choices?.narrowings.find(
      (n) => n.whileEmpty === 'nothing' && this.#fields.get(n.field)?.value === null,
    );
    return waiting?.field ?? null;
  }

  #given(wired: WiredField): Record<string, Value> {
    return Object.fromEntries(wired.narrowedBy.map((key) => [key, this.value(key)]));
  }

  #note(event: TraceEvent): void {
    this.trace.push(event);
    if (this.trace.length > longestTrace) this.trace.shift();
  }

  #wired(key: string): WiredField {
    const wired = this.form.fields.get(key);
    if (!wired) throw new RangeError(`no field ${key}`);
    return wired;
  }

  #state(key: string): FieldState {
    const state = this.#fields.get(key);
    if (!state) throw new RangeError(`no field ${key}`);
    return state;
  }
}

function emptyState(): FieldState {
  return {
    value: null,
    rejected: null,
    current: null,
    choices: { status: 'idle' },
    asked: null,
    answeredFor: null,
    kept: false,
    notOffered: false,
    cause: null,
  };
}

function at(path: string, found: Problem): Problem {
  return { ...found, path };
}

function rejectedText(given: unknown): string {
  return typeof given === 'string' ? given : JSON.stringify(given);
}
