import type { PersonFacts } from '$lib/core/entry/person';
import type { WiredField, WiredScope } from '$lib/core/wiring/wired';
import type { Ask, Choice, Offer } from '$lib/core/entry/asks';
import { isClosed, type Cell } from '$lib/core/entry/host-state';
import type { ChoicesState } from '$lib/core/entry/question';
import { Entry, type Row } from '$lib/core/entry/entry';
import type { Beginning } from '$lib/core/entry/beginning';
import type { AskedHashes } from '$lib/core/plan/asked-sheet';
import type { Filled } from '$lib/core/entry/filled';
import { clockFrom } from '$lib/core/formula/clock';
import { evaluate } from '$lib/core/formula/formula';
import { tableChoices } from '$lib/core/plan/choices';
import { problem, type Problem } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import type { Value, ValueType } from '$lib/core/values/types';
import type { Reading } from '$lib/core/values/reading';
import type { WiredForm } from '$lib/core/wiring/form';
import { reading } from '$lib/ui/shared/locale';
import { CellSignals } from './cell-signals.svelte';
import type { SeenEntry } from './seen-entry';
import { ServerReads, type PlanSource } from './server-reads.svelte';
import { SessionProblems } from './session-problems.svelte';
import { SessionWords } from './session-words';

/** What is open beside the form: the list of a field as a table, a new record for it, or one line. */
export type Panel =
  /** `text` is what was typed into the field when the panel was opened. */
  { kind: 'pick' | 'add'; key: string; row?: Row; text?: string } | { kind: 'line'; row: Row };

/** A published form by the table that it saves to. */
export interface TableForm {
  key: string;
  title: string;
  table: string;
}

const clock = clockFrom(() => new Date());

/**
 * An entry on the screen: the engine of core, with its asks sent to the server. Reads through it are
 * reactive, cell by cell. Nothing typed is lost while the server is away.
 */
export class EntrySession implements SeenEntry {
  readonly form: WiredForm;
  readonly tables: House;
  readonly #source: PlanSource;
  readonly #entry: Entry;
  readonly #signals: CellSignals;
  readonly reads: ServerReads;
  readonly words: SessionWords;
  readonly problems: SessionProblems;
  /** How often a person has changed something. */
  edits = $state(0);
  /** Where a person has changed something last; empty where it was more than one field. */
  lastPath = '';
  /** What is open beside the form, one over the other: a list is opened from a line, too. */
  panels = $state.raw<readonly Panel[]>([]);
  /** The forms with which new records can be made from a lookup. */
  forms: readonly TableForm[] = [];
  readonly person: PersonFacts;

  constructor(
    formKey: string,
    source: PlanSource,
    form: WiredForm,
    tables: House,
    beginning: Beginning = { mode: 'new' },
    /** Where the server answers for the form. */
    at = `/api/forms/${formKey}`,
  ) {
    this.form = form;
    this.tables = tables;
    this.#source = source;
    this.person = beginning.around?.person ?? {};
    const around = { clock, reading: reading(), ...beginning.around };
    this.#entry = new Entry(form, { ...beginning, around });
    this.#signals = new CellSignals(this.#entry.cells());
    this.reads = new ServerReads(`${at}/read`, source, this.#entry, () => this.#woke());
    this.words = new SessionWords(this);
    this.problems = new SessionProblems(this);
  }

  /** Whether the person is a guest: they make no records besides. */
  get guest(): boolean {
    return this.reads.guest;
  }

  set guest(is: boolean) {
    this.reads.guest = is;
  }

  /** The questions that are asked, by section. */
  get askedHashes(): AskedHashes {
    return this.#source.asked ?? {};
  }

  /** The whole entry; reading it makes the reader follow every change. What is shown of one field follows `cell`. */
  get entry(): Entry {
    this.#signals.followAny();
    return this.#entry;
  }

  /** The form itself. */
  get root(): Row {
    return this.#entry.root;
  }

  /** All that is known of a field; the reader follows it, and nothing else. */
  cell(key: string, row?: Row): Readonly<Cell> {
    const cell = this.#entry.cell(key, row);
    this.#signals.follow(cell);
    return cell;
  }

  /** The options that a field offers now; `null` where its choices are no options. */
  options(key: string, row?: Row): ReturnType<Entry['options']> {
    this.#signals.follow(this.#entry.cell(key, row));
    return this.#entry.options(key, row);
  }

  /** What was typed into a field and could not be read, or is being looked up. */
  rejectedText(key: string, row?: Row): string | null {
    this.#signals.follow(this.#entry.cell(key, row));
    return this.#entry.rejectedText(key, row);
  }

  /** The field that a name means, seen from a row (`parent.town`). */
  named(name: string, row?: Row): Readonly<Cell> | undefined {
    const cell = this.#entry.named(name, row);
    if (cell) this.#signals.follow(cell);
    return cell;
  }

  set(key: string, value: Value, choice: Choice | null = null, row?: Row): void {
    this.#entry.set(key, value, choice, row);
    this.#changed(this.path(key, row));
  }

  type(key: string, text: string, row?: Row): void {
    this.#entry.type(key, text, reading(), row);
    this.#changed(this.path(key, row));
  }

  /** Keeps a text that names nothing in the list of a field, marked. */
  reject(key: string, text: string, row?: Row): void {
    this.#entry.reject(key, text, row);
    this.#changed(this.path(key, row));
  }

  /** What is open beside the form and in front. */
  get panel(): Panel | null {
    return this.panels.at(-1) ?? null;
  }

  openPanel(panel: Panel): void {
    this.panels = [...this.panels, panel];
  }

  closePanel(): void {
    this.panels = this.panels.slice(0, -1);
  }

  /** Whether a grid is there. */
  isThere(grid: string): boolean {
    this.#signals.followRows();
    return this.#entry.isThere(grid);
  }

  /** The rows of a grid, in order: all, or those that stand in a row of the grid around it. */
  rows(grid: string, within?: Row): readonly Row[] {
    this.#signals.followRows();
    return this.#entry.rows(grid, within);
  }

  /** The rows of a grid that stand in sight: those for which its condition holds, new ones, and any with a problem. */
  rowsInSight(grid: string, within?: Row): readonly Row[] {
    const rows = this.rows(grid, within);
    const condition = this.form.scopes.get(grid)?.rowsWhen;
    if (!condition) return rows;
    const { clock } = this.entry;
    return rows.filter((row) => {
      if (!row.stored || this.problems.isIn(row)) return true;
      const evaluated = evaluate(condition, row, clock);
      return 'problem' in evaluated || evaluated.value !== false;
    });
  }

  /** The grids whose rows stand in the rows of a grid. */
  gridsWithin(grid: string): WiredScope[] {
    return [...this.form.scopes.values()].filter(({ within }) => within === grid);
  }

  /** The row that a path names: `lines[2].fee`, `lines[2]`; none for the form itself. */
  rowAt(path: string): Row | undefined {
    const [, grid = '', place = ''] = /^(\w+)\[(\d+)\]/.exec(path) ?? [];
    return grid === '' ? undefined : this.rows(grid)[Number(place)];
  }

  /** Changes the rows of an entry; what follows is asked for once, however many there are. */
  changeRows(change: (entry: Entry, reading: Reading) => void): void {
    this.#entry.batch(() => change(this.#entry, reading()));
    // Their places have changed, and what the server said of them does not hold any more.
    this.#changed(/\[/);
  }

  /** Takes over what somebody made of the record before: a draft, or what two people have made of it. */
  takeOver(filled: Filled): void {
    this.#entry.takeOver(filled);
    this.#signals.wakeAll();
  }

  /** Where the problems of a field belong: `fee`, or `lines[2].fee` in a row. */
  path(key: string, row?: Row): string {
    if (!row) return key;
    this.#signals.followRows();
    return `${row.scope.key}[${this.#entry.place(row)}].${key}`;
  }

  /** Reads a page of a field's choices as they are now, for an opened list. */
  async list(
    key: string,
    search: string,
    after?: string,
    row?: Row,
    order?: Ask['order'],
    signal?: AbortSignal,
    /** Whether all that is found is counted. */
    whole = false,
  ): Promise<Offer | Problem> {
    const answer = await this.reads.once(
      {
        id: `list:${this.path(key, row)}`,
        field: key,
        ...(row ? { grid: row.scope.key, row: row.key } : {}),
        given: this.#entry.given(key, row),
        current: this.#entry.value(key, row),
        search,
        ...(after ? { after } : {}),
        ...(order ? { order } : {}),
        ...(whole ? { whole } : {}),
      },
      signal,
    );
    if (answer && 'code' in answer) return answer;
    if (answer && 'failed' in answer) return answer.failed;
    if (answer && 'choices' in answer) return answer;
    return problem('read_failed', { label: this.wired(key, row)?.field.label ?? key });
  }

  /** The values under which a field offers its choices. */
  narrowing(key: string, row?: Row): unknown[] {
    const wired = this.wired(key, row);
    return (wired?.narrowedBy ?? []).map((name) => this.named(name, row)?.value ?? null);
  }

  /** Whether a new record can be made from a field; a form that is only tried writes nothing. */
  canAdd(key: string, row?: Row): boolean {
    const wired = this.wired(key, row);
    const adds = !this.guest && 'edition' in this.#source;
    return adds && !!wired && tableChoices(wired.field)?.adds === true;
  }

  /** What the narrowings of a field's list ask of a record, by column, and how references are shown. */
  narrowedTo(
    key: string,
    row?: Row,
  ): { values: Record<string, Value>; shown: Record<string, string> } {
    const wired = this.wired(key, row);
    const found = { values: {} as Record<string, Value>, shown: {} as Record<string, string> };
    const choices = wired && tableChoices(wired.field);
    for (const { path, operator, field } of choices?.narrowings ?? []) {
      const source = this.named(field, row);
      if (operator !== 'equal' || path.includes('.') || !source || source.value === null) continue;
      found.values[path] = source.value;
      const from = source.wired.scope === '' ? undefined : source.host;
      found.shown[path] = this.words.shown(source.wired.field.key, from);
    }
    for (const { path, operator, values } of choices?.conditions ?? []) {
      const [value] = values;
      if (operator === 'equal' && !path.includes('.') && value !== undefined) {
        found.values[path] = value;
      }
    }
    return found;
  }

  /** Asks again what failed. */
  retry(): void {
    this.#entry.retry();
    this.#askNew();
  }

  /** Asks again for what other people may have changed meanwhile: brought columns and rollups. */
  refresh(): void {
    this.#entry.refresh();
    this.#askNew();
  }

  /** Asks again for everything that is read: by a person's wish, also what failed. */
  askAgain(): void {
    this.#entry.retry();
    this.refresh();
  }

  /** Ends the session: late answers are ignored. */
  close(): void {
    this.reads.close();
  }

  /** Whether nobody can set the value now. */
  closed(key: string, row?: Row): boolean {
    return isClosed(this.cell(key, row));
  }

  /** A field of the form, or of the grid of a row, with what is known of it. */
  wired(key: string, row?: Row): WiredField | undefined {
    return (row ? row.scope.fields : this.form.fields).get(key);
  }

  typeOf(key: string, row?: Row): ValueType | null {
    return this.wired(key, row)?.type ?? null;
  }

  choices(key: string, row?: Row): ChoicesState {
    return this.cell(key, row).choices;
  }

  #woke(): void {
    this.#signals.wake(this.#entry.takeWoken());
  }

  #askNew(): void {
    this.#woke();
    void this.reads.pump();
  }

  #changed(path: string | RegExp): void {
    this.lastPath = typeof path === 'string' ? path : '';
    this.problems.forget(path);
    this.edits++;
    this.#askNew();
  }
}
