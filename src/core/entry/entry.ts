import type { EntryFormula } from '../plan/formulas';
import { workOut, type Worked } from './working-out';
import { say } from '../words/say';
import { askAgain, takeAnswer, workNode } from './answering';
import { makeRow, placeRow, rowsBeside, takeOut } from './rows';
import type { Clock } from '../formula/frame';
import { problem, type Problem } from '../problems';
import { isoReading, type Reading } from '../values/reading';
import { offeredOptions, type Option, type Value } from '../values/types';
import type { WiredForm } from '../wiring/form';
import type { Answer, Choice, StandingAsk } from './asks';
import { begin, type Beginning, type GivenRow } from './beginning';
import { isClosed, type Cell, type HostState } from './host-state';
import type { ChoicesState } from './question';
import { offeredIn } from './choosing';
import { problemsOf } from './entry-problems';
import { Life, type Woken } from './life';
import type { Around } from './around';
import { putText, putValue } from './setting';
import { retypeInto, takeHost } from './taking-over';
import { resumeLife } from './resume';
import { rowsAsked } from './scope-of-asks';
import { pendingText, stateOf, type EntryState } from './state';
import type { Filled, FilledRow } from './filled';
import type { TraceEvent } from './trace';

/** A text that is no value of its field. */
export interface TypedText {
  /** The grid, and the key of the row; both `''` for the form itself. */
  grid: string;
  row: string;
  field: string;
  text: string;
}

/** A row of a grid, as whoever fills the form holds it. */
export type Row = HostState;

/** The day and the moment of the machine it runs on are not for core to know. */
const nowhere: Around = {
  reading: isoReading,
  clock: { today: () => '2000-01-01', now: () => '2000-01-01T00:00:00Z' },
  person: {},
  link: {},
};

/**
 * One filling of a form: values, rows, and what follows from a change. It reads nothing by itself:
 * `asks()` says what it needs to know, `answer()` takes the results, in any order; an answer to a
 * question that is no longer current is dropped.
 */
export class Entry {
  readonly form: WiredForm;
  readonly #life: Life;
  #rowsMade = 0;
  #batching = false;
  readonly #nextKey = () => `r${++this.#rowsMade}`;

  constructor(form: WiredForm, beginning: Beginning = { mode: 'new' }, resumed?: Life) {
    this.form = form;
    this.#life = resumed ?? new Life(form, { ...nowhere, ...beginning.around }, workNode);
    if (resumed) return;
    const { mode, rows = {}, filled } = beginning;
    this.#life.takesOnly = beginning.takesOnly ?? mode === 'new';
    this.#life.root.stored = beginning.stored ?? null;
    begin(this.#life.root, mode, beginning);
    const texts = [[this.#life.root, beginning.texts] as const];
    for (const [grid, list] of this.#outerFirst(rows)) {
      const around = this.#around(grid);
      for (const given of this.#keyed(list)) {
        const row = makeRow(this.#life, grid, mode, given, around(given), this.#nextKey);
        if (row) texts.push([row, given.texts]);
      }
    }
    for (const host of this.#life.hosts()) this.#life.markAll(host, null);
    for (const [host, given = {}] of texts) retypeInto(this.#life, host, given);
    this.#life.opening = true;
    this.#life.run();
    this.#life.opening = false;
    if (filled) this.takeOver(filled);
  }

  /**
   * An entry in the middle of its life, at rest but for the asks of a screen, which it asks as well. So
   * a server can see what follows from the answers to them.
   */
  static resume(
    form: WiredForm,
    state: Filled & Partial<Omit<EntryState, 'rows' | 'values' | 'own'>>,
    asks: readonly StandingAsk[],
    around: Partial<Around> = {},
  ): Entry {
    const link = state.link ?? {};
    const life = new Life(form, { ...nowhere, ...around, link }, workNode);
    resumeLife(life, state, asks);
    return new Entry(form, undefined, life);
  }

  /** The form itself, as formulas read it. */
  get root(): Row {
    return this.#life.root;
  }

  get clock(): Clock {
    return this.#life.around.clock;
  }

  /** What happened so far, oldest first. */
  get trace(): readonly TraceEvent[] {
    return this.#life.trace;
  }

  /** What has been touched since this was last asked; a screen draws that anew, and nothing else. */
  takeWoken(): Woken {
    return this.#life.takeWoken();
  }

  /** The value of a field in canonical form. Throws for a key that is no field. */
  value(key: string, row?: Row): Value {
    return this.cell(key, row).value;
  }

  /** All that is known about a field, to be looked at only. */
  cell(key: string, row?: Row): Readonly<Cell> {
    return (row ?? this.#life.root).cell(key);
  }

  /** All cells, of the form and of its rows. */
  cells(): Iterable<Readonly<Cell>> {
    return this.#life.cells();
  }

  /** All values of the form itself, or of a row, by field key. */
  values(row?: Row): Record<string, Value> {
    return valuesOf(row ?? this.#life.root);
  }

  /** The fields that a person has set. */
  own(row?: Row): string[] {
    return (row ?? this.#life.root).cells.filter((c) => c.own).map((c) => c.wired.field.key);
  }

  /** What was typed into a field and could not be read, or is being looked up. */
  rejectedText(key: string, row?: Row): string | null {
    const cell = this.cell(key, row);
    return cell.rejected?.text ?? cell.keyText;
  }

  /** The chosen choice as it is shown, where it is known. */
  current(key: string, row?: Row): Choice | null {
    return this.cell(key, row).current;
  }

  /** The state of a field's choices. */
  choices(key: string, row?: Row): ChoicesState {
    return this.cell(key, row).choices;
  }

  /** The options that a field offers now; `null` where its choices are no options. */
  options(key: string, row?: Row): readonly Option[] | null {
    const cell = (row ?? this.#life.root).cell(key);
    const offered = offeredIn(this.#life, cell);
    const { type, field } = cell.wired;
    if (offered || field.choices !== null || type.kind !== 'option') return offered;
    return offeredOptions(type.options, cell.base ?? null);
  }

  /** Whether the field's value is known not to be among its choices. */
  notOffered(key: string, row?: Row): boolean {
    return this.cell(key, row).notOffered;
  }

  /**
   * The rows of a grid, in order: all of them, or those that stand in a row of the grid around it.
   * Problems name them by their places among all.
   */
  rows(grid: string, within?: Row): readonly Row[] {
    if (!this.isThere(grid)) return [];
    return within ? this.#life.rowsIn(grid, within) : (this.#life.rows.get(grid) ?? []);
  }

  /** The field that a narrowing names, as a cell seen from a row (`parent.town`), if there is one. */
  named(name: string, row?: Row): Readonly<Cell> | undefined {
    const from = row ?? this.#life.root;
    const [first] = from.cells;
    return first && this.#life.source(first, name);
  }

  /** Whether a grid is there; without it nothing of its rows is written. */
  isThere(grid: string): boolean {
    return this.#life.there(grid).holds;
  }

  /** Whether a grid is not there because of a change: then its stored rows are not to stay. */
  isTakenAway(grid: string): boolean {
    const { holds, changed } = this.#life.there(grid);
    return !holds && changed;
  }

  /** The values under which the choices of a field are offered, as they are at this moment. */
  given(key: string, row?: Row): Record<string, Value> {
    return this.#life.givenNow(this.#cell(key, row));
  }

  /** All that another entry needs to begin with it, or to take it over: for a draft, a save, a server. */
  state(): EntryState {
    return stateOf(this.#life);
  }

  /** As much of the state as a server needs to see what follows from the answers to some asks; `null` where nothing is asked then. */
  stateFor(asks: readonly StandingAsk[]): EntryState | null {
    const meant = rowsAsked(this.#life, asks);
    return meant && stateOf(this.#life, meant);
  }

  /** The rows of a grid by their keys, also while it is not there. */
  rowsOf(grid: string): ReadonlyMap<string, Row> {
    return new Map((this.#life.rows.get(grid) ?? []).map((row) => [row.key, row]));
  }

  /** The place of a row among all rows of its grid. */
  place(row: Row): number {
    return this.#life.place(row);
  }

  /** The rows of a grid that go on with stored ones, also while the grid is not there. */
  storedRows(grid: string): readonly Row[] {
    return (this.#life.rows.get(grid) ?? []).filter((row) => row.stored !== null);
  }

  /** The stored rows of a grid that were taken out. */
  removed(grid: string): readonly Row[] {
    return this.#life.removed.filter((row) => row.scope.key === grid);
  }

  /**
   * Takes over what somebody made of the same record: a draft that was left, a submission, or what is
   * to be kept of two people's changes. What is no longer offered is marked; what follows is worked
   * out anew where anything that it follows from is another than in the record.
   */
  takeOver(filled: Filled): void {
    this.batch(() => {
      takeHost(this.#life, this.#life.root, filled);
      for (const [grid, rows] of this.#outerFirst(filled.rows ?? {})) this.#takeRows(grid, rows);
    });
  }

  /** Rows each with a key of its own: what comes a second time is given another, and none is given twice. */
  #keyed<R extends { key?: string | undefined }>(rows: readonly R[]): R[] {
    const seen = new Set<string>();
    return rows.map((row) => {
      const { key } = row;
      if (key === undefined) return row;
      const [, number] = /^r(\d{1,9})$/.exec(key) ?? [];
      if (number) this.#rowsMade = Math.max(this.#rowsMade, Number(number));
      if (seen.has(key)) return { ...row, key: undefined };
      seen.add(key);
      return row;
    });
  }

  #takeRows(grid: string, rows: readonly FilledRow[]): void {
    const life = this.#life;
    const before = life.rows.get(grid) ?? [];
    const given = new Map(before.map((row) => [row.stored?.id, row]));
    const around = this.#around(grid);
    const kept = this.#keyed(rows).flatMap((filled) => {
      const row = filled.id === undefined ? undefined : given.get(filled.id);
      if (row) takeHost(life, row, filled);
      if (row) return [row];
      const made = makeRow(life, grid, 'resumed', filled, around(filled), this.#nextKey);
      if (!made) return [];
      life.markAll(made, grid);
      retypeInto(life, made, filled.texts ?? {});
      return [made];
    });
    const still = new Set(kept);
    const left = before.filter((row) => row.stored !== null && !still.has(row));
    for (const row of left) takeOut(this.#life, row);
    life.rows.set(grid, kept);
    const changed = [...left, ...kept.filter((row) => row.stored === null)];
    for (const host of new Set(changed.map((row) => row.parent))) this.#rowsChanged(grid, host);
  }

  /** Rows by their grids, each grid after the one that it stands in. */
  #outerFirst<R>(rows: Readonly<Record<string, readonly R[]>>): [string, readonly R[]][] {
    return [...this.form.scopes.keys()].flatMap((grid) => {
      const list = grid === '' ? undefined : rows[grid];
      return list ? [[grid, list] as [string, readonly R[]]] : [];
    });
  }

  /** What given rows stand in: the form, or a row of the grid around their own; `null` where that is gone. */
  #around(grid: string): (row: { of?: string | undefined }) => HostState | null {
    const within = this.form.scopes.get(grid)?.within ?? null;
    if (within === null) return () => this.#life.root;
    const byKey = new Map((this.#life.rows.get(within) ?? []).map((row) => [row.key, row]));
    return ({ of = '' }) => byKey.get(of) ?? null;
  }

  /** What was typed and could not be read, or is being looked up, with its place. */
  texts(): TypedText[] {
    return [...this.#life.cells()].flatMap((cell) => {
      const text = pendingText(cell);
      if (text === null) return [];
      const { scope, field } = cell.wired;
      return [{ grid: scope, row: cell.host.key, field: field.key, text }];
    });
  }

  /** Types again what another entry could not read. */
  retype(texts: readonly TypedText[], reading: Reading): void {
    this.batch(() => {
      for (const { grid, row: key, field, text } of texts) {
        const row = grid === '' ? undefined : this.rows(grid).find((r) => r.key === key);
        const known = this.form.scopes.get(grid)?.fields.has(field);
        if (known && (row || grid === '')) this.type(field, text, reading, row);
      }
    });
  }

  /** Adds a row to a grid, or to the part of it that stands in a row: at the end, or at a place of it. */
  addRow(grid: string, given: GivenRow = { values: {} }, at?: number, within?: Row): Row {
    const life = this.#life;
    // A row that is put back is as it was: nothing of it is worked out anew.
    const mode = given.stored ? 'opened' : 'new';
    const row = makeRow(
      life,
      grid,
      mode,
      given,
      within ?? this.#around(grid)(given),
      this.#nextKey,
    );
    if (!row) throw new RangeError(`rows of ${grid} stand in rows`);
    if (at !== undefined) placeRow(this.#life, row, at);
    life.trace.push({
      kind: 'row added',
      field: grid,
      row: row.key,
      cause: null,
      value: null,
    });
    life.markAll(row, given.stored ? null : grid);
    this.#rowsChanged(grid, row.parent);
    this.#run();
    return row;
  }

  /** Moves a row up (below zero) or down by so many places. */
  moveRow(row: Row, by: number): void {
    const at = rowsBeside(this.#life, row).indexOf(row);
    if (at !== -1) placeRow(this.#life, row, Math.max(0, at + by));
  }

  /** Takes a row out, with the rows that stand in it. */
  removeRow(row: Row): void {
    const grid = row.scope.key;
    const rows = this.#life.rows.get(grid) ?? [];
    this.#life.rows.set(
      grid,
      rows.filter((other) => other !== row),
    );
    takeOut(this.#life, row);
    this.#rowsChanged(grid, row.parent);
    this.#run();
  }

  /** Works out what follows from rows that came or went in a host. */
  #rowsChanged(grid: string, host: HostState | null): void {
    const life = this.#life;
    life.rowsMoved(grid, host ?? life.root);
  }

  /** Sets a value, as a person does; `choice` is the row of the list it was taken from. */
  set(key: string, value: Value, choice: Choice | null = null, row?: Row): void {
    const cell = this.#cell(key, row);
    if (isClosed(cell)) return;
    putValue(this.#life, cell, value, choice);
    this.#run();
  }

  /**
   * Takes what was typed: sets the value, or keeps the text with its problem and empties the value. In
   * a field with choices from a table, the record that the text names is looked up.
   */
  type(key: string, text: string, reading: Reading = isoReading, row?: Row): void {
    const cell = this.#cell(key, row);
    if (isClosed(cell)) return;
    putText(this.#life, cell, text, reading);
    this.#run();
  }

  /** Keeps a text that names nothing in the list of a field: it has no value, and says so. */
  reject(key: string, text: string, row?: Row): void {
    const cell = this.#cell(key, row);
    if (isClosed(cell)) return;
    putValue(this.#life, cell, null, null);
    const details = { given: text, table: cell.wired.field.label, column: say('what is shown') };
    cell.rejected = { text, problem: problem('unknown_match', details) };
    this.#run();
  }

  /** What must be read now. Each standing question is given until its answer has come. */
  asks(): StandingAsk[] {
    return [...this.#life.open.values()].map(({ ask, cell }) => {
      return { ...ask, cause: cell.question(ask.kind).cause };
    });
  }

  /** Takes answers, in any order, with any that follow from them; gives how many were no longer wanted. */
  answer(answers: readonly Answer[]): number {
    const left = new Map(answers.map((answer) => [answer.id, answer]));
    for (let size = -1; size !== left.size;) {
      size = left.size;
      // What an offer clears may make the next answer void: one after the other, and first.
      this.#take(left, (ask) => ask.kind === 'list');
      this.batch(() => this.#take(left, (ask) => ask.kind !== 'list'));
    }
    return left.size;
  }

  /** Applies the answers to open questions that are meant, and takes them out of what is left. */
  #take(left: Map<string, Answer>, meant: (ask: StandingAsk) => boolean): void {
    for (const [id, answer] of left) {
      const asked = this.#life.open.get(id);
      if (!asked || !meant(asked.ask)) continue;
      left.delete(id);
      takeAnswer(this.#life, asked.ask, asked.cell, answer);
      this.#run();
    }
  }

  /** What a formula would give in the host of a cell as things stand; nothing is changed by that. */
  workOut(cell: Cell, formula: EntryFormula): Worked {
    return workOut(this.#life, cell, formula);
  }

  /** Gives fields back what the record holds for them; gives how many there were that are meant. */
  leave(meant: (cell: Readonly<Cell>) => boolean): number {
    const left = [...this.#life.cells()].filter((cell) => cell.base !== undefined && meant(cell));
    this.batch(() => {
      for (const cell of left) putValue(this.#life, cell, cell.base ?? null, null);
    });
    return left.length;
  }

  /** Makes many changes and works out what follows from all of them once. */
  batch(change: () => void): void {
    const outer = this.#batching;
    this.#batching = true;
    try {
      change();
    } finally {
      this.#batching = outer;
      this.#run();
    }
  }

  #run(): void {
    if (!this.#batching) this.#life.run();
  }

  /** Asks again what failed. */
  retry(): void {
    for (const cell of this.#life.cells()) {
      for (const [kind, question] of cell.questions) {
        if (question.failed !== null) askAgain(this.#life, cell, kind, question.cause);
      }
    }
    this.#run();
  }

  /** Asks again for what other people may have changed meanwhile: brought columns and rollups. */
  refresh(): void {
    for (const cell of this.#life.cells()) {
      for (const kind of ['record', 'value'] as const) {
        const question = cell.questions.get(kind);
        if (question && question.asked === null && question.answeredFor !== null) {
          askAgain(this.#life, cell, kind, null);
        }
      }
    }
    this.#run();
  }

  /** Every problem of the entry as it stands, in form order; rows by their place: `lines[2].fee`. */
  problems(): Problem[] {
    const found = problemsOf(this.#life.root, '');
    for (const [grid, rows] of this.#life.rows) {
      if (!this.isThere(grid)) continue;
      rows.forEach((row, i) => found.push(...problemsOf(row, `${grid}[${i}].`)));
    }
    return found;
  }

  #cell(key: string, row?: Row): Cell {
    return (row ?? this.#life.root).cell(key);
  }
}

function valuesOf(host: HostState): Record<string, Value> {
  return Object.fromEntries(host.cells.map((cell) => [cell.wired.field.key, cell.value]));
}
