import type { Clock } from '../formula/frame';
import { asksOutside, tableChoices } from '../plan/schema';
import { problem, type Problem } from '../problems';
import { checkValue, isoReading, parseText, type Reading } from '../values/parse';
import { offeredOptions, sameValue, type Option, type Value } from '../values/types';
import type { WiredForm } from '../wiring/form';
import type { GraphNode } from '../wiring/graph';
import type { Answer, AskKind, Choice, StandingAsk } from './asks';
import {
  begin,
  fill,
  type Beginning,
  type Filled,
  type FilledRow,
  type GivenRow,
} from './beginning';
import { isClosed, type Cell, type ChoicesState } from './cell';
import { offeredIn, putChoice, refreshChoices, takeOffer } from './choosing';
import { problemsOf } from './entry-problems';
import type { HostState } from './host-state';
import { Life, type Around, type Cause } from './life';
import {
  refreshFacts,
  refreshRollup,
  takeFacts,
  takeNamed,
  takeRollup,
  retryKey,
  typeKey,
} from './reading';
import { settleRule } from './rules';
import { rowKey } from './stored';
import type { TraceEvent } from './trace';
import { settleValue } from './working-out';

/** Something to be asked of an entry that is otherwise at rest. */
export interface Wanted {
  kind: AskKind;
  field: string;
  grid?: string;
  row?: string;
  key?: string;
}

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
  clock: { today: () => '2000-01-01', now: () => '2000-01-01T00:00:00Z' },
  person: '',
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

  constructor(form: WiredForm, beginning: Beginning = { mode: 'new' }, resting = false) {
    this.form = form;
    this.#life = new Life(form, { ...nowhere, ...beginning.around }, workNode);
    this.#life.takes = beginning.takes ?? beginning.mode === 'new';
    this.#life.opened = beginning.mode === 'opened';
    this.#life.root.stored = beginning.stored ?? null;
    begin(this.#life.root, beginning.mode, beginning.values, beginning.own);
    for (const [grid, rows] of this.#outerFirst(beginning.rows ?? {})) {
      for (const row of rows) this.#makeRow(grid, beginning.mode, row, this.#rowAround(grid, row));
    }
    if (resting) this.#rest();
    else for (const host of this.#life.hosts()) this.#life.markAll(host, null);
    this.#life.run();
  }

  /**
   * An entry in the middle of its life: everything at rest but what is wanted, which asks. So a server
   * can see what follows from the answers to a screen's asks.
   */
  static resume(
    form: WiredForm,
    given: Pick<Beginning, 'values' | 'own' | 'rows' | 'around'>,
    wanted: readonly Wanted[],
  ): Entry {
    const entry = new Entry(form, { ...given, mode: 'opened', takes: true }, true);
    entry.batch(() => {
      for (const wish of wanted) entry.#want(wish);
    });
    return entry;
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

  /** The value of a field in canonical form. Throws for a key that is no field. */
  value(key: string, row?: Row): Value {
    return this.cell(key, row).value;
  }

  /** All that is known about a field, to be looked at only. */
  cell(key: string, row?: Row): Readonly<Cell> {
    return (row ?? this.#life.root).cell(key);
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
    return offeredOptions(type.options, cell.host.stored ? cell.value : null);
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
    if (!this.#life.isThere(grid)) return [];
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
    return this.#life.isThere(grid);
  }

  /** All that people have put in, as another entry can begin with it, or take it over. */
  state(): Required<Filled> {
    const rows = [...this.#life.rows].map(([grid, list]) => [
      grid,
      list.map((row) => ({
        key: row.key,
        values: valuesOf(row),
        own: this.own(row),
        ...(row.stored ? { id: row.stored.id } : {}),
        ...(row.scope.within === null ? {} : { of: row.parent?.key ?? '' }),
      })),
    ]);
    return { values: this.values(), own: this.own(), rows: Object.fromEntries(rows) };
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
    this.#life.marks = true;
    this.batch(() => {
      this.#takeHost(this.#life.root, filled.values, filled.own);
      for (const [grid, rows] of this.#outerFirst(filled.rows ?? {})) this.#takeRows(grid, rows);
    });
  }

  #takeRows(grid: string, rows: readonly FilledRow[]): void {
    const life = this.#life;
    const before = life.rows.get(grid) ?? [];
    const given = new Map(before.map((row) => [row.stored?.id, row]));
    const kept = rows.flatMap((filled) => {
      const row = filled.id === undefined ? undefined : given.get(filled.id);
      if (row) this.#takeHost(row, filled.values, filled.own);
      if (row) return [row];
      const made = this.#makeRow(grid, 'resumed', filled, this.#rowAround(grid, filled));
      if (made) life.markAll(made, grid);
      return made ? [made] : [];
    });
    const still = new Set(kept);
    const left = before.filter((row) => row.stored !== null && !still.has(row));
    for (const row of left) this.#takeOut(row);
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

  /** What a given row stands in: the form, or a row of the grid around its own; `null` where that is gone. */
  #rowAround(grid: string, { of }: { of?: string | undefined }): HostState | null {
    const within = this.form.scopes.get(grid)?.within ?? null;
    if (within === null) return this.#life.root;
    return (this.#life.rows.get(within) ?? []).find(({ key }) => key === of) ?? null;
  }

  /** Gives the cells of a host other values, as their person left them. */
  #takeHost(
    host: HostState,
    values: Readonly<Record<string, unknown>>,
    own: readonly string[] | undefined,
  ): void {
    const changed: Cell[] = [];
    for (const cell of host.cells) {
      const { field, type } = cell.wired;
      const given = values[field.key];
      if (cell.derived || given === undefined) continue;
      const checked = checkValue(type, given, field.label);
      const text = typeof given === 'string' ? given : JSON.stringify(given);
      cell.rejected = 'value' in checked ? null : { text, problem: checked.problem };
      const value = 'value' in checked ? checked.value : null;
      cell.own = own ? own.includes(field.key) : true;
      if (sameValue(value, cell.value)) continue;
      putChoice(this.#life, cell, value, null);
      changed.push(cell);
    }
    // What is brought and was set by a person stays, whichever record is chosen now.
    for (const cell of host.cells) {
      const lookup = cell.wired.broughtBy && host.cells[cell.wired.broughtBy.from.index];
      if (lookup && cell.own && !cell.derived) cell.broughtFor = lookup.value;
    }
    for (const cell of changed) {
      this.#life.note(cell, { kind: 'set', cause: null, value: cell.value });
      this.#life.feed(cell, 'value', cell.name);
    }
  }

  /** What was typed and could not be read, or is being looked up, with its place. */
  texts(): TypedText[] {
    return [...this.#life.cells()].flatMap((cell) => {
      const text = cell.rejected?.text ?? cell.keyText;
      if (text === null || cell.derived) return [];
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
    const row = this.#makeRow(grid, mode, given, within ?? this.#rowAround(grid, given));
    if (!row) throw new RangeError(`rows of ${grid} stand in rows`);
    if (at !== undefined) this.#place(row, at);
    life.trace.push({ kind: 'row added', field: grid, row: row.key, cause: null, value: null });
    life.markAll(row, given.stored ? null : grid);
    this.#rowsChanged(grid, row.parent);
    this.#run();
    return row;
  }

  /** Moves a row up (below zero) or down by so many places. */
  moveRow(row: Row, by: number): void {
    const at = this.#beside(row).indexOf(row);
    if (at !== -1) this.#place(row, Math.max(0, at + by));
  }

  /** Takes a row out, with the rows that stand in it. */
  removeRow(row: Row): void {
    const grid = row.scope.key;
    const rows = this.#life.rows.get(grid) ?? [];
    this.#life.rows.set(
      grid,
      rows.filter((other) => other !== row),
    );
    this.#takeOut(row);
    this.#rowsChanged(grid, row.parent);
    this.#run();
  }

  /** Ends a row: what it asked is dropped; one of a stored record is remembered. */
  #takeOut(row: Row): void {
    const life = this.#life;
    for (const [grid, rows] of life.rows) {
      if (life.form.scopes.get(grid)?.within !== row.scope.key) continue;
      const [inside, others] = [life.rowsIn(grid, row), rows.filter((r) => r.parent !== row)];
      life.rows.set(grid, others);
      for (const inner of inside) this.#takeOut(inner);
    }
    for (const cell of row.cells) for (const kind of cell.questions.keys()) life.drop(cell, kind);
    if (row.stored) life.removed.push(row);
    const { key } = row.scope;
    life.trace.push({ kind: 'row removed', field: key, row: row.key, cause: null, value: null });
  }

  /** Works out what follows from rows that came or went in a host. */
  #rowsChanged(grid: string, host: HostState | null): void {
    const life = this.#life;
    life.flow(life.form.graph.rowFlows.get(grid) ?? [], host ?? life.root, grid);
  }

  /** Sets a value, as a person does; `choice` is the row of the list it was taken from. */
  set(key: string, value: Value, choice: Choice | null = null, row?: Row): void {
    const cell = this.#cell(key, row);
    if (isClosed(cell)) return;
    const life = this.#life;
    life.marks = false;
    const before = cell.value;
    cell.rejected = null;
    cell.keyText = null;
    cell.own = true;
    life.drop(cell, 'key');
    life.note(cell, { kind: 'set', cause: null, value, before });
    if (putChoice(life, cell, value, choice)) life.feed(cell, 'value', cell.name);
    this.#run();
  }

  /**
   * Takes what was typed: sets the value, or keeps the text with its problem and empties the value. In
   * a field with choices from a table, the record that the text names is looked up.
   */
  type(key: string, text: string, reading: Reading = isoReading, row?: Row): void {
    const cell = this.#cell(key, row);
    const { field, type } = cell.wired;
    if (isClosed(cell)) return;
    if (tableChoices(field) && type.kind !== 'references') {
      this.#life.marks = false;
      cell.own = true;
      typeKey(this.#life, cell, text, null);
      return this.#run();
    }
    const parsed = parseText(type, text, field.label, reading);
    if ('value' in parsed) return this.set(key, parsed.value, null, row);
    this.set(key, null, null, row);
    cell.rejected = { text, problem: parsed.problem };
  }

  /** What must be read now. Each standing question is given until its answer has come. */
  asks(): StandingAsk[] {
    return [...this.#life.open.values()].map(({ ask }) => ask);
  }

  /** Takes answers, in any order, with any that follow from them; gives how many were no longer wanted. */
  answer(answers: readonly Answer[]): number {
    const left = new Map(answers.map((answer) => [answer.id, answer]));
    for (let size = -1; size !== left.size;) {
      size = left.size;
      // What an offer clears may make the next answer void: one after the other, and first.
      this.#take(left, (ask) => ask.kind === 'choices');
      this.batch(() => this.#take(left, (ask) => ask.kind !== 'choices'));
    }
    return left.size;
  }

  /** Applies the answers to open questions that are meant, and takes them out of what is left. */
  #take(left: Map<string, Answer>, meant: (ask: StandingAsk) => boolean): void {
    for (const [id, answer] of left) {
      const asked = this.#life.open.get(id);
      if (!asked || !meant(asked.ask)) continue;
      left.delete(id);
      this.#apply(asked.ask, asked.cell, answer);
      this.#run();
    }
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
        if (question.failed !== null) this.#again(cell, kind, question.cause);
      }
    }
    this.#run();
  }

  /** Asks again for what other people may have changed meanwhile: brought columns and rollups. */
  refresh(): void {
    for (const cell of this.#life.cells()) {
      for (const kind of ['facts', 'rollup'] as const) {
        const question = cell.questions.get(kind);
        if (question && question.asked === null && question.answeredFor !== null) {
          this.#again(cell, kind, null);
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

  /** Puts everything at rest as it is given; only what is shown is worked out. */
  #rest(): void {
    const life = this.#life;
    life.resting = true;
    for (const cell of life.cells()) {
      cell.kept = false;
      cell.rolled = cell.value;
    }
    for (const host of life.hosts()) life.markAll(host, null, 'shown');
    for (const cell of life.cells()) cell.rejected = null;
    life.trace.length = 0;
  }

  #want({ kind, field, grid, row, key }: Wanted): void {
    const rows = this.#life.rows.get(grid ?? '') ?? [];
    const host = grid ? rows.find((r) => r.key === row) : this.#life.root;
    const cell = host?.cells.find((c) => c.wired.field.key === field);
    if (!cell) return;
    switch (kind) {
      case 'choices':
        return refreshChoices(this.#life, cell, cell.name);
      case 'facts':
        return this.#life.askFacts(cell, cell.name);
      case 'rollup':
        return refreshRollup(this.#life, cell, cell.name);
      case 'key':
        return typeKey(this.#life, cell, key ?? '', cell.name);
    }
  }

  #again(cell: Cell, kind: AskKind, cause: Cause): void {
    const question = cell.question(kind);
    question.failed = null;
    question.answeredFor = null;
    if (kind === 'choices') refreshChoices(this.#life, cell, cause);
    else if (kind === 'rollup') refreshRollup(this.#life, cell, cause);
    else if (kind === 'key') typeKey(this.#life, cell, cell.rejected?.text ?? '', cause);
    else this.#life.askFacts(cell, cause);
  }

  #apply(ask: StandingAsk, cell: Cell, answer: Answer): void {
    const life = this.#life;
    const question = cell.question(ask.kind);
    life.drop(cell, ask.kind);
    question.answeredFor = ask.id;
    if ('failed' in answer) return this.#failed(cell, ask.kind, answer.failed);
    if (ask.kind === 'choices' && 'choices' in answer) return takeOffer(life, cell, answer);
    if (ask.kind === 'rollup' && 'rolled' in answer) {
      return takeRollup(life, cell, answer.rolled, answer.took, answer.at ?? null);
    }
    if (ask.kind === 'key' && 'named' in answer) return takeNamed(life, cell, answer.named);
    if (ask.kind === 'facts' && 'facts' in answer) {
      return takeFacts(life, cell, ask.current, answer.facts, answer.took);
    }
    // Another answer than was asked for is none.
    this.#failed(cell, ask.kind, problem('read_failed', { label: cell.wired.field.label }));
  }

  /** A failed read leaves the last known state; it is marked, and can be asked again. */
  #failed(cell: Cell, kind: AskKind, found: Problem): void {
    const question = cell.question(kind);
    question.failed = found;
    if (kind === 'choices') cell.choices = { status: 'failed', problem: found };
    if (kind === 'key') {
      cell.rejected = { text: cell.keyText ?? '', problem: found };
      cell.keyText = null;
    }
    this.#life.note(cell, { kind: 'failed', cause: question.cause, value: cell.value });
    // What an outside system does not give is absent: the rest of the form goes on without it.
    if (!asksOutside(cell.wired.field)) return;
    if (kind === 'rollup') takeRollup(this.#life, cell, null, undefined);
    if (kind === 'facts') takeFacts(this.#life, cell, cell.value, null, undefined);
  }

  /** A new row in a host; none where the host is gone. */
  #makeRow(
    grid: string,
    mode: Beginning['mode'],
    given: GivenRow,
    host: HostState | null,
  ): HostState | null {
    if (!host) return null;
    const { stored } = given;
    const made = given.key ?? (stored ? rowKey(stored) : `r${++this.#rowsMade}`);
    const row = this.#life.newRow(grid, made, host);
    row.stored = stored ?? null;
    if (stored) this.#life.removed = this.#life.removed.filter((r) => r.stored?.id !== stored.id);
    begin(
      row,
      mode,
      mode === 'new' && given.key === undefined ? undefined : given.values,
      given.own,
    );
    if (mode === 'new' && given.key === undefined) fill(row, given.values);
    return row;
  }

  /** The rows that stand where a row stands, itself among them. */
  #beside(row: Row): readonly HostState[] {
    return row.parent ? this.#life.rowsIn(row.scope.key, row.parent) : [];
  }

  /** Puts a row at a place among those that stand where it does. */
  #place(row: Row, at: number): void {
    const grid = row.scope.key;
    const elsewhere = (this.#life.rows.get(grid) ?? []).filter((r) => r.parent !== row.parent);
    const others = this.#beside(row).filter((other) => other !== row);
    const placed = [...others.slice(0, at), row, ...others.slice(at)];
    this.#life.rows.set(grid, [...elsewhere, ...placed]);
  }

  #cell(key: string, row?: Row): Cell {
    return (row ?? this.#life.root).cell(key);
  }
}

/** Works one node out. */
function workNode(life: Life, cell: Cell, node: GraphNode, cause: Cause): void {
  switch (node.aspect) {
    case 'choices':
      refreshChoices(life, cell, cause);
      return retryKey(life, cell, cause);
    case 'rollup':
      return refreshRollup(life, cell, cause);
    case 'facts':
      return refreshFacts(life, cell, cause);
    case 'value':
      return settleValue(life, cell, cause);
    default:
      return settleRule(life, cell, node, cause);
  }
}

function valuesOf(host: HostState): Record<string, Value> {
  return Object.fromEntries(host.cells.map((cell) => [cell.wired.field.key, cell.value]));
}
