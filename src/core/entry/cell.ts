import { toFeel } from '../formula/convert';
import type { Feel } from '../formula/feel';
import { askedValue } from '../plan/schema';
import type { Problem } from '../problems';
import { sameValue, type Value } from '../values/types';
import type { WiredField } from '../wiring/form';
import type { AskKind, Choice, Offer } from './asks';
import { RecordRef } from './facts';
import type { HostState } from './host-state';

/** What is known of the choices of a field that takes them from a table. */
export type ChoicesState =
  /** Nothing was asked yet; the list is read when it is opened. */
  | { status: 'idle' }
  /** A narrowing field is empty. */
  | { status: 'waiting'; for: string }
  | { status: 'asking' }
  | { status: 'offered' | 'empty'; offer: Offer }
  | { status: 'failed'; problem: Problem };

/** A question of a cell: what was asked last, and whether that was answered. */
export interface Question {
  /** The ask that is out, or must go out. */
  asked: string | null;
  /** What the last answer was given for. */
  answeredFor: string | null;
  failed: Problem | null;
  /** The field whose change led to it. */
  cause: string | null;
}

/** The columns read of a chosen record; `values` is `null` where the record is gone. */
export interface Facts {
  record: Value;
  values: Readonly<Record<string, Value>> | null;
}

const none: ReadonlyMap<never, never> = new Map<never, never>();

/** One field in one filling, or in one row of it: its value and all that is known about it. */
export class Cell {
  /** The field's key, with its grid before it where it stands in a row. */
  readonly name: string;
  value: Value = null;
  /** What was typed or worked out and is no value of the type, with the reason. */
  rejected: { text: string; problem: Problem } | null = null;
  /** The chosen record or value as it is shown. */
  current: Choice | null = null;
  /** The chosen records as they are shown, where the field takes several. */
  chosen: readonly Choice[] = [];
  choices: ChoicesState = { status: 'idle' };
  /** What the record holds for it, where the form goes on with one that does; otherwise `undefined`. */
  base: Value | undefined = undefined;
  /** A person has set it: a default or an editable brought value does not follow any more. */
  own = false;
  /**
   * It came as it is, with the record, a draft or a submission, and neither it nor what narrows it has
   * changed since: where it is not offered, it is marked and not cleared.
   */
  asGiven = false;
  /** The values that narrowed its choices when it was last looked at, as text; `null` before. */
  narrowedTo: string | null = null;
  /** Whether a value that follows from others is another than in the record, or may be: they are. */
  followsChange: boolean;
  /** Known not to be among the choices. */
  notOffered = false;
  hidden = false;
  /** Empty because it was not shown: shown again, it begins anew. */
  withheld = false;
  /** Whether it is shown hangs on something that is still being read. */
  hiddenUnsure = false;
  /** Whether it is shown follows from something that is another than in the record. */
  hiddenChanged = false;
  required = false;
  locked = false;
  /** Whether it is locked follows from something that is another than in the record. */
  lockedChanged = false;
  /** What the checks that do not hold say, by their place. */
  get refusals(): ReadonlyMap<number, string> {
    return this.#refusals ?? none;
  }
  /** The change after which it waits for an answer; `null` while the entry begins, and at rest. */
  waitsAfter: string | null = null;
  /** Follows from something that is still being read: the value is the last one known. */
  unsure = false;
  /** Its list is being read, and the value is cleared where that does not offer it. */
  unconfirmed = false;
  facts: Facts = { record: null, values: null };
  /** The record for which a value was brought last; `undefined` before the first. */
  broughtFor: Value | undefined = undefined;
  rolled: Value = null;
  /** Milliseconds that the last read of the aggregate took. */
  took: number | undefined = undefined;
  /** When an outside system gave the value, in UTC. */
  readAt: string | null = null;
  /** The field that a rollup waits for. */
  rollupWaits: string | null = null;
  /** The key that was typed, while its record is looked up. */
  keyText: string | null = null;
  get questions(): ReadonlyMap<AskKind, Question> {
    return this.#questions ?? none;
  }
  // Most cells of a large grid ask nothing and refuse nothing.
  #refusals: Map<number, string> | null = null;
  #questions: Map<AskKind, Question> | null = null;
  #feel: Feel = null;
  #feelOf: Value = null;

  constructor(
    readonly wired: WiredField,
    readonly host: HostState,
  ) {
    const { scope, field } = wired;
    this.name = scope === '' ? field.key : `${scope}.${field.key}`;
    this.followsChange = true;
  }

  /**
   * Whether it is another than in the record that the form goes on with, or follows from something that
   * is; always, where there is no such record. It hangs on values alone, not on how they came about:
   * what is set back is as if it had never been changed.
   */
  isChanged(): boolean {
    if (this.follows && !this.own) return this.followsChange;
    return this.base === undefined || !sameValue(this.value, this.base);
  }

  /** Whether the value may still become another by itself: what follows from it waits. */
  get waits(): boolean {
    return this.unsure || this.unconfirmed;
  }

  /** Whether it has the value that follows from others: worked out, brought, or begun with. */
  get follows(): boolean {
    return this.derived || this.wired.broughtBy !== null || this.wired.initially !== null;
  }

  /** The value as formulas take it. */
  feel(): Feel {
    if (this.value === null) return null;
    if (this.#feelOf !== this.value) {
      this.#feelOf = this.value;
      const { type } = this.wired;
      this.#feel =
        type.kind === 'reference'
          ? new RecordRef(this, '', type.table, this.value as number)
          : toFeel(type, this.value);
    }
    return this.#feel;
  }

  /** Puts a value in place whose form for formulas is known already. */
  hold(value: Value, feel: Feel | undefined): void {
    this.value = value;
    if (feel === undefined) return;
    this.#feel = feel;
    this.#feelOf = value;
  }

  /** Notes what a check says that does not hold; `null` where it holds. Gives whether that is another than before. */
  refuse(check: number, message: string | null): boolean {
    if (message === null) return this.#refusals?.delete(check) === true;
    if (this.#refusals?.get(check) === message) return false;
    this.#refusals ??= new Map();
    this.#refusals.set(check, message);
    return true;
  }

  /** The question of a kind; made when it is first needed. */
  question(kind: AskKind): Question {
    const known = this.questions.get(kind);
    if (known) return known;
    const made = { asked: null, answeredFor: null, failed: null, cause: null };
    this.#questions ??= new Map();
    this.#questions.set(kind, made);
    return made;
  }

  /** Whether nobody types the value: it is computed, rolled up, or brought without being editable. */
  get derived(): boolean {
    return isDerived(this.wired);
  }
}

/** Whether nobody types the value of a field. */
export function isDerived({ computes, field, broughtBy }: WiredField): boolean {
  if (computes !== null || field.computes !== null || askedValue(field) !== null) return true;
  return broughtBy !== null && !broughtBy.bring.editable;
}

/** Whether nobody can set the value now: it follows from others, is locked, or is not shown. */
export function isClosed(cell: Readonly<Cell>): boolean {
  return cell.derived || cell.locked || (cell.hidden && cell.wired.field.whileHidden === 'clear');
}
