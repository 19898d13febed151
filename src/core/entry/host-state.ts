import { toFeel } from '../formula/convert';
import type { Feel, FeelRecord } from '../formula/feel';
import type { Budget } from '../formula/frame';
import type { EntryHost } from '../plan/formulas';
import type { Problem } from '../problems';
import { sameValue, type Value } from '../values/types';
import type { WiredForm } from '../wiring/form';
import { isDerived, type WiredField, type WiredScope } from '../wiring/wired';
import type { Around } from './around';
import type { AskKind, Choice } from './asks';
import { RecordLink, RecordRef, SavedRecord, type ReadColumns } from './records';
import { PersonRecord } from './person';
import type { ChoicesState, Question } from './question';
import type { StoredRecord } from './stored';

/** What is known of a grid: whether it is there, and whether that is known, and another than in the record. */
export interface There {
  holds: boolean;
  unsure: boolean;
  changed: boolean;
}

/** The life of an entry, as its cells see it: what they read, and what they note while a formula is worked out. */
export interface Living {
  readonly form: WiredForm;
  readonly around: Around;
  readonly root: HostState;
  /** What formulas may still cost that follow from the change being worked out. */
  readonly budget: Budget;
  /** Whether the formula being worked out met something that is still being read. */
  met: boolean;
  /** Whether it is looked at whether a formula reads something that is another than in the record. */
  watching: boolean;
  /** Whether the formula being worked out read such a thing. */
  sawChange: boolean;
  /** A formula has read a column of a record that is not known yet. */
  miss: (cell: Cell) => void;
  /** The cell that a narrowing names, seen from another. */
  source: (cell: Readonly<Cell>, name: string) => Cell | undefined;
  /** Whether a field that narrows a cell is another than in the record, or whether it is shown. */
  isAskedAnew: (cell: Readonly<Cell>) => boolean;
  there: (grid: string) => There;
  rowsIn: (grid: string, host: HostState) => readonly HostState[];
  rowsChanged: (grid: string, host: HostState) => boolean;
  shared: EntryHost['shared'] extends (...given: infer P) => infer R
    ? (row: HostState, ...given: P) => R
    : never;
}

/** The cells of the form itself, or of one row of a grid. */
export class HostState implements EntryHost {
  readonly cells: readonly Cell[];
  /** The record that it goes on with; `null` for a new one. */
  stored: StoredRecord | null = null;
  /** Whether it began with what a record holds: then nothing changes that follows from no change. */
  based = false;

  constructor(
    readonly life: Living,
    readonly scope: WiredScope,
    /** The row's key; `''` for the form itself. */
    readonly key: string,
    readonly parent: HostState | null,
  ) {
    this.cells = scope.list.map((wired) => new Cell(wired, this));
  }

  get person(): FeelRecord {
    return new PersonRecord(this.life.form.tables, this.life.around.person);
  }

  get identity(): string {
    return `${this.scope.key}[${this.key}]`;
  }

  /** The cell of a field; throws for a key that is no field. */
  cell(key: string): Cell {
    const wired = this.scope.fields.get(key);
    const cell = wired && this.cells[wired.index];
    if (!cell) throw new RangeError(`no field ${key}`);
    return cell;
  }

  feelAt(index: number): Feel {
    const cell = this.cells[index];
    if (!cell) return null;
    const { life } = this;
    if (cell.waits) life.met = true;
    if (life.watching && !life.sawChange && cell.isChanged()) life.sawChange = true;
    return cell.feel();
  }

  /** The row that the field at this place has chosen from a query, read column by column. */
  chosenRow(index: number): FeelRecord {
    return {
      identity: null,
      member: (key) => this.#columnAt(index, key),
      members: () => [...(this.cells[index]?.wired.columns.keys() ?? [])],
    };
  }

  chosenAt(key: string): FeelRecord {
    return this.chosenRow(this.cell(key).wired.index);
  }

  #columnAt(index: number, key: string): Feel {
    const cell = this.cells[index];
    // What is chosen, and whether that is sure, counts as read too.
    if (!cell || this.feelAt(index) === null) return null;
    if (cell.columns.record !== cell.value) {
      cell.miss();
      return null;
    }
    const type = cell.wired.columns.get(key);
    return type ? toFeel(type, cell.columns.values?.[key] ?? null) : null;
  }

  /** The rows of a grid as formulas read them: none while it is not there. */
  rowsOf(grid: string): readonly HostState[] {
    const { life } = this;
    const { holds, unsure, changed } = life.there(grid);
    if (unsure) life.met = true;
    if (life.watching && (changed || (holds && life.rowsChanged(grid, this)))) {
      life.sawChange = true;
    }
    return holds ? life.rowsIn(grid, this) : [];
  }

  /** Whether this is the other, or stands in it. */
  standsIn(other: HostState): boolean {
    return this === other || (this.parent?.standsIn(other) ?? false);
  }

  shared(token: object, reads: readonly (readonly string[])[], work: () => Feel): Feel {
    return this.parent ? this.life.shared(this, token, reads, work) : work();
  }

  linkValue(name: string): string | null {
    return this.life.around.link[name] ?? null;
  }

  /** The record that this is saved to. */
  savedRecord(): Feel {
    return new SavedRecord(this.scope.table, this);
  }

  /** What a field held in the record as it was opened; absent in a new one. */
  storedFeel(key: string): Feel {
    const wired = this.scope.fields.get(key);
    const column = wired?.field.savesTo ?? null;
    const value = column === null ? null : (this.stored?.values[column] ?? null);
    if (!wired || value === null) return null;
    if (wired.type.kind === 'reference') return new RecordLink(wired.type.table, value as number);
    return toFeel(wired.type, value);
  }

  members(): string[] {
    return [...this.scope.fields.keys()];
  }

  /** A field by its key, the rows of a grid that stands in it, or what is around it. */
  member(key: string): Feel {
    const wired = this.scope.fields.get(key);
    if (wired) return this.feelAt(wired.index);
    if (key === 'parent') return this.parent;
    return this.life.form.scopes.has(key) ? this.rowsOf(key) : null;
  }
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
  columns: ReadColumns = { record: null, values: null };
  /** The record for which a value was brought last; `undefined` before the first. */
  broughtFor: Value | undefined = undefined;
  readValue: Value = null;
  /** Milliseconds that the last read of the aggregate took. */
  took: number | undefined = undefined;
  /** When an outside system gave the value, in UTC. */
  readAt: string | null = null;
  /** The field that a rollup waits for. */
  waitsFor: string | null = null;
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

  /** Has the columns of the chosen record read. */
  miss(): void {
    this.host.life.miss(this);
  }

  /** Whether nobody types the value: it is computed, rolled up, or brought without being editable. */
  get derived(): boolean {
    return isDerived(this.wired);
  }
}

/** Whether nobody can set the value now: it follows from others, is locked, or is not shown. */
export function isClosed(cell: Readonly<Cell>): boolean {
  return cell.derived || cell.locked || (cell.hidden && cell.wired.field.whileHidden === 'clear');
}
