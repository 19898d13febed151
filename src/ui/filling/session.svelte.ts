import type { PersonFacts } from '$lib/core/entry/person';
import { reader } from '$lib/core/words/reader';
import { unseenRecord } from '$lib/core/words/unseen';
import { readAnswer } from '$lib/core/contract/answers';
import { readsOutside, sourceOf, type WiredField, type WiredScope } from '$lib/core/wiring/wired';
import { SvelteSet } from 'svelte/reactivity';
import {
  mostAsks,
  type Answer,
  type Ask,
  type Choice,
  type Offer,
  type StandingAsk,
} from '$lib/core/entry/asks';
import { isClosed } from '$lib/core/entry/host-state';
import type { ChoicesState } from '$lib/core/entry/question';
import { planSave } from '$lib/core/entry/all-problems';
import { Entry, type Row } from '$lib/core/entry/entry';
import type { Beginning } from '$lib/core/entry/beginning';
import type { AskedHashes } from '$lib/core/plan/asked-sheet';
import type { Filled } from '$lib/core/entry/filled';
import { whyEmpty, type Names } from '$lib/core/entry/words';
import { clockFrom } from '$lib/core/formula/clock';
import { evaluate } from '$lib/core/formula/formula';
import type { Names as FormulaNames } from '$lib/core/formula/scope';
import type { Clock } from '$lib/core/formula/frame';
import type { EntryHost } from '$lib/core/plan/formulas';
import { chosenColumn, leafPath } from '$lib/core/plan/held';
import { tableChoices } from '$lib/core/plan/choices';
import { problem, type Problem, type ProblemCode } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { pathLabel, shownLine } from '$lib/core/table/paths';
import { formatValue } from '$lib/core/values/format';
import { idsOf, type Value, type ValueType } from '$lib/core/values/types';
import type { Reading } from '$lib/core/values/reading';
import type { WiredForm } from '$lib/core/wiring/form';
import { saidNames, type SaidName } from './said-names';
import { call, callLines } from '$lib/ui/shared/api';
import { reading } from '$lib/ui/shared/locale';

/**
 * Which plan the server is to read under: an edition, or the designer's draft at a revision; one that it does not
 * hold yet is waited for. `null` where it never will, since another one has taken its place.
 */
export type PlanSource =
  | { edition: number; asked?: AskedHashes }
  | { draft: () => Promise<number | null>; asked?: AskedHashes };

/** What formulas are designed with: the names they may use, and what stands in the form now. */
export interface LiveScope {
  names: FormulaNames<EntryHost>;
  /** The same as a designer calls them, for conditions that are put together. */
  said: readonly SaidName[];
  /** The form, or the first row of a grid; `null` while it has none. */
  readonly host: EntryHost | null;
  readonly clock: Clock;
}

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

const longestPause = 8000;
/** Problems that are said as soon as they are known; the others when the field is left. */
const saidAtOnce = new Set<ProblemCode>([
  'not_offered',
  'record_gone',
  'check_failed',
  'unknown_match',
  'address_too_long',
  'not_told',
  'ambiguous_match',
  'choose_first',
  'read_failed',
  'result_misfit',
  'formula_too_many_steps',
]);
const clock = clockFrom(() => new Date());

/**
 * An entry on the screen: the engine of core, with its asks sent to the server. Reads through it are
 * reactive. While the server is away it tries again with growing pauses; nothing typed is lost.
 */
export class EntrySession {
  readonly form: WiredForm;
  readonly tables: House;
  readonly #address: string;
  readonly #source: PlanSource;
  readonly #entry: Entry;
  // Nothing on the screen follows it.
  // eslint-disable-next-line svelte/prefer-svelte-reactivity
  readonly #inFlight = new Set<string>();
  #version = $state(0);
  /** How often a person has changed something. */
  edits = $state(0);
  #pause = 500;
  #closed = false;
  /** Whether the server, or its database, does not answer. */
  away = $state(false);
  /** Problems told by the server, by path; each goes when its field changes. */
  serverProblems = $state.raw<Problem[]>([]);
  /** Whether problems are shown at fields that were not touched. */
  showsAll = $state(false);
  readonly touched = new SvelteSet<string>();
  /** What is open beside the form, one over the other: a list is opened from a line, too. */
  panels = $state.raw<readonly Panel[]>([]);
  /** Whether the person is a guest: makes no records besides, and is answered under the whole of the entry only. */
  guest = false;
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
    this.#address = `${at}/read`;
    this.#source = source;
    this.person = beginning.around?.person ?? {};
    const around = { clock, reading: reading(), ...beginning.around };
    this.#entry = new Entry(form, { ...beginning, around });
  }

  /** The questions that are asked, by section. */
  get askedHashes(): AskedHashes {
    return this.#source.asked ?? {};
  }

  /** The entry; reading it makes the reader follow its changes. */
  get entry(): Entry {
    void this.#version;
    return this.#entry;
  }

  /** A number that changes with the entry. */
  get version(): number {
    return this.#version;
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

  /** The rows of a grid, in order: all, or those that stand in a row of the grid around it. */
  rows(grid: string, within?: Row): readonly Row[] {
    return this.entry.rows(grid, within);
  }

  /** The rows of a grid that stand in sight: those for which its condition holds, new ones, and any with a problem. */
  rowsInSight(grid: string, within?: Row): readonly Row[] {
    const rows = this.rows(grid, within);
    const condition = this.form.scopes.get(grid)?.rowsWhen;
    if (!condition) return rows;
    return rows.filter((row) => {
      if (!row.stored || this.problemIn(row)) return true;
      const evaluated = evaluate(condition, row, this.entry.clock);
      return 'problem' in evaluated || evaluated.value !== false;
    });
  }

  /** The grids whose rows stand in the rows of a grid. */
  gridsWithin(grid: string): WiredScope[] {
    return [...this.form.scopes.values()].filter(({ within }) => within === grid);
  }

  /** Whether anything is to be mended in a row, or in the rows that stand in it. */
  problemIn(row: Row): boolean {
    const prefix = this.path('', row);
    const told = [...this.serverProblems, ...(this.showsAll ? this.problems : [])];
    if (told.some(({ path }) => path.startsWith(prefix))) return true;
    return this.gridsWithin(row.scope.key).some(({ key }) =>
      this.rows(key, row).some((inner) => this.problemIn(inner)),
    );
  }

  /** The row that a path names: `lines[2].fee`, `lines[2]`; none for the form itself. */
  rowAt(path: string): Row | undefined {
    const [, grid = '', place = ''] = /^(\w+)\[(\d+)\]/.exec(path) ?? [];
    return grid === '' ? undefined : this.rows(grid)[Number(place)];
  }

  /** Where a row stands, as people count: "Towns, line 2, Ensembles, line 1". */
  rowWords(row: Row): string {
    const { scope, parent } = row;
    const place = this.rows(scope.key, parent ?? undefined).indexOf(row) + 1;
    const around = parent && parent.scope.key !== '' ? `${this.rowWords(parent)}, ` : '';
    return `${around}${scope.title}, line ${place}`;
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
    this.#version++;
  }

  /** Where the problems of a field belong: `fee`, or `lines[2].fee` in a row. */
  path(key: string, row?: Row): string {
    if (!row) return key;
    const grid = row.scope.key;
    return `${grid}[${this.#entry.place(row)}].${key}`;
  }

  /**
   * Sends what the entry asks and is not on its way yet. Call it once when the entry is shown. What
   * systems outside have to answer is taken answer by answer: a slow one keeps nothing else waiting.
   */
  async pump(): Promise<void> {
    const asks = this.#entry.asks().filter((ask) => !this.#inFlight.has(ask.id));
    const outside = asks.filter(({ kind, field, grid }) => {
      const wired = this.form.scopes.get(grid)?.fields.get(field);
      return wired !== undefined && sourceOf(wired, kind)?.from === 'outside';
    });
    void this.#send(outside, 'one by one');
    const here = asks.filter((ask) => !outside.includes(ask));
    for (let from = 0; from < here.length; from += mostAsks) {
      await this.#send(here.slice(from, from + mostAsks));
    }
  }

  async #send(
    asks: readonly StandingAsk[],
    taken: 'together' | 'one by one' = 'together',
  ): Promise<void> {
    if (asks.length === 0 || this.#closed) return;
    for (const ask of asks) this.#inFlight.add(ask.id);
    const wanted: Ask[] = asks.map(({ grid, row, ...ask }) => ({
      ...ask,
      ...(row === null ? {} : { grid, row }),
    }));
    // What follows from an answer outside is asked here, once it is there.
    const follows = taken === 'together' ? this.#entry.stateFor(asks) : null;
    const state = this.guest ? this.#entry.state() : follows;
    const source = await this.#heldPlan();
    if (!source || this.#closed) return;
    const request = { ...source, ...(state ?? {}), asks: wanted };
    // Nothing on the screen follows it.
    // eslint-disable-next-line svelte/prefer-svelte-reactivity
    const open = new Set(asks.map(({ id }) => id));
    const take = (answers: readonly Answer[]) => {
      for (const { id } of answers) {
        open.delete(id);
        this.#inFlight.delete(id);
      }
      if (this.#closed) return;
      this.#pause = 500;
      this.away = false;
      this.#entry.answer(answers);
      this.#version++;
    };
    const read =
      taken === 'together'
        ? await call(readAnswer, this.#address, { body: request })
        : await callLines(readAnswer, this.#address, request, (line) => {
            take(line.answers);
            void this.pump();
          });
    for (const id of open) this.#inFlight.delete(id);
    if (this.#closed) return;
    if (read.ok && read.value) take(read.value.answers);
    else if (read.ok ? open.size > 0 : read.status === 503) {
      this.away = true;
      this.#pause = Math.min(this.#pause * 2, longestPause);
      setTimeout(() => void this.pump(), this.#pause);
      return;
    } else if (!read.ok) {
      const failed = read.problems[0] ?? problem('unreachable');
      take([...open].map((id) => ({ id, failed })));
    }
    await this.pump();
  }

  /** The plan of this form as the server names it, as soon as it holds it. */
  async #heldPlan(): Promise<({ edition: number } | { draft: number }) | null> {
    const source = this.#source;
    if ('edition' in source) return source;
    const { asked } = source;
    const draft = await source.draft();
    return draft === null ? null : { draft, ...(asked ? { asked } : {}) };
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
    const place = row ? { grid: row.scope.key, row: row.key } : {};
    const ask: Ask = {
      id: `list:${this.path(key, row)}`,
      field: key,
      ...place,
      given: this.#entry.given(key, row),
      current: this.#entry.value(key, row),
      search,
      ...(after ? { after } : {}),
      ...(order ? { order } : {}),
      ...(whole ? { whole } : {}),
    };
    const source = await this.#heldPlan();
    if (!source) return problem('unreachable');
    const body = { ...source, ...(this.guest ? this.#entry.state() : {}), asks: [ask] };
    const read = await call(readAnswer, this.#address, { body, signal });
    if (!read.ok) return read.problems[0] ?? problem('unreachable');
    const answer = read.value.answers.find((candidate) => candidate.id === ask.id);
    const { label = key } = this.wired(key, row)?.field ?? {};
    if (!answer) return problem('read_failed', { label });
    if ('failed' in answer) return answer.failed;
    return 'choices' in answer ? answer : problem('read_failed', { label });
  }

  /** The values under which a field offers its choices. */
  narrowing(key: string, row?: Row): unknown[] {
    const wired = this.wired(key, row);
    return (wired?.narrowedBy ?? []).map((name) => this.entry.named(name, row)?.value ?? null);
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
      const source = this.entry.named(field, row);
      if (operator !== 'equal' || path.includes('.') || !source || source.value === null) continue;
      found.values[path] = source.value;
      const from = source.wired.scope === '' ? undefined : source.host;
      found.shown[path] = this.shown(source.wired.field.key, from);
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
    this.#version++;
    void this.pump();
  }

  /** Asks again for what other people may have changed meanwhile: brought columns and rollups. */
  refresh(): void {
    this.#entry.refresh();
    this.#version++;
    void this.pump();
  }

  /** Asks again for everything that is read: by a person's wish, also what failed. */
  askAgain(): void {
    this.#entry.retry();
    this.#entry.refresh();
    this.#version++;
    void this.pump();
  }

  /** Waits until nothing is asked any more, or the server is away. */
  async settled(): Promise<void> {
    while (this.#entry.asks().length > 0 && !this.away && !this.#closed) {
      await new Promise((resolve) => setTimeout(resolve, 15));
    }
  }

  /** Ends the session: late answers are ignored. */
  close(): void {
    this.#closed = true;
  }

  /** The label of a field; one of a grid is named `grid.field`. */
  label(key: string): string {
    const [grid = '', inRow] = key.split('.');
    const scope = this.form.scopes.get(grid);
    if (inRow && scope) return `${scope.title} › ${scope.fields.get(inRow)?.field.label ?? inRow}`;
    return this.form.fields.get(key)?.field.label ?? scope?.title ?? key;
  }

  /** The label of a field as a row names it: `parent.town`. */
  labelNamed(name: string, row?: Row): string {
    const wired = this.entry.named(name, row)?.wired;
    // Nobody sees a field that is not shown: what brings it there is to be chosen.
    const seen = wired?.field.shows === 'nothing' ? (wired.broughtBy?.from ?? wired) : wired;
    return seen?.field.label ?? this.label(name);
  }

  /** Whether nobody can set the value now. */
  closed(key: string, row?: Row): boolean {
    return isClosed(this.entry.cell(key, row));
  }

  /** What a chosen record brings beside its lookup: labels and values as people read them. */
  brought(key: string, row?: Row): { path: string; label: string; shown: string; sure: boolean }[] {
    const wired = this.wired(key, row);
    const cell = this.entry.cell(key, row);
    if (!wired || cell.value === null) return [];
    const { field, type } = wired;
    const table = type.kind === 'reference' ? type.table : '';
    const sure = cell.columns.record === cell.value;
    return field.brings.flatMap(({ path, into }) => {
      if (path === null || into !== null) return [];
      const column = chosenColumn(this.tables, field, type, path);
      const leaf = chosenColumn(this.tables, field, type, leafPath(this.tables, table, path));
      if (!column || !leaf) return [];
      const shown = formatValue(leaf.type, cell.columns.values?.[path] ?? null, reader());
      return [{ path, label: column.label, shown, sure }];
    });
  }

  /** A field of the form, or of the grid of a row, with what is known of it. */
  wired(key: string, row?: Row): WiredField | undefined {
    return (row ? row.scope.fields : this.form.fields).get(key);
  }

  typeOf(key: string, row?: Row): ValueType | null {
    return this.wired(key, row)?.type ?? null;
  }

  choices(key: string, row?: Row): ChoicesState {
    return this.entry.choices(key, row);
  }

  /** The records that a field has chosen, each in one line; marked where one is not offered. */
  members(key: string, row?: Row): { id: number; line: string; bad: boolean }[] {
    const { value, chosen, notOffered, choices } = this.entry.cell(key, row);
    const offered = choices.status === 'offered' ? choices.offer.chosen : undefined;
    return idsOf(value).map((id) => {
      const choice = chosen.find((candidate) => candidate.value === id);
      const bad = notOffered && !offered?.some((candidate) => candidate.value === id);
      return { id, line: choice ? this.choiceLine(choice) : unseenRecord(), bad };
    });
  }

  /** A field's value as people read it. */
  shown(key: string, row?: Row): string {
    const members = this.members(key, row);
    if (members.length > 0) return members.map(({ line }) => line).join(', ');
    const current = this.entry.current(key, row);
    if (current) return this.choiceLine(current);
    const type = this.typeOf(key, row);
    const value = this.entry.value(key, row);
    const { choices } = this.wired(key, row)?.field ?? {};
    if (choices?.kind === 'columns' && value !== null) {
      return this.columnLabel(key, String(value), row);
    }
    if (choices?.kind === 'values') {
      return choices.values.find((option) => option.value === value)?.label ?? String(value ?? '');
    }
    // A record is not known before the list has confirmed it.
    if (type?.kind === 'reference' && value !== null && this.#isAsked(key, row)) return '…';
    if (type?.kind === 'reference' && value !== null) return unseenRecord();
    return type && value !== null ? formatValue(type, value, reader()) : '';
  }

  #isAsked(key: string, row?: Row): boolean {
    return this.entry.cell(key, row).choices.status === 'asking';
  }

  /** How a column is called, that a field offers to be read from a chosen record. */
  columnLabel(key: string, path: string, row?: Row): string {
    const choices = this.wired(key, row)?.field.choices;
    const of = choices?.kind === 'columns' ? this.typeOf(choices.of, row) : null;
    const table = of?.kind === 'reference' ? this.tables.get(of.table) : undefined;
    return table ? pathLabel(this.tables, table, path) : path;
  }

  /** A choice in one line: the first shown columns. */
  choiceLine(choice: Choice): string {
    const parts = choice.shown.map((part) => (part === null ? '' : String(part)));
    return shownLine(parts.length > 0 ? parts : [String(choice.value)]);
  }

  /** All problems of the entry, worked out once for each change of it, not for each field. */
  readonly problems: Problem[] = $derived.by(() =>
    // What is written besides is looked through once somebody has tried to save.
    this.showsAll ? planSave(this.entry).problems : this.entry.problems(),
  );

  /** The first problem of each field. */
  readonly #problemsByPath: ReadonlyMap<string, Problem> = $derived.by(
    // Made anew with each change, never changed.
    // eslint-disable-next-line svelte/prefer-svelte-reactivity
    () => new Map([...this.problems].reverse().map((found) => [found.path, found])),
  );

  /** The problem to be shown at a field, if any. */
  problemAt(key: string, row?: Row): Problem | null {
    const path = this.path(key, row);
    const told = this.serverProblems.find((p) => p.path === path);
    if (told) return told;
    const found = this.#problemsByPath.get(path);
    if (!found) return null;
    // A new form that nobody has touched has nothing wrong with it yet.
    if (!this.showsAll && this.edits === 0 && this.touched.size === 0 && !this.#entry.root.based)
      return null;
    if (this.showsAll || saidAtOnce.has(found.code)) return found;
    // A cell of a grid shows no problem while it is being edited: it is an input then.
    if (found.code === 'required') return null;
    return row || this.touched.has(path) ? found : null;
  }

  /** What a system outside said instead of an answer. */
  failedOutside(key: string, row?: Row): Problem | null {
    const { wired, questions, choices } = this.entry.cell(key, row);
    if (!readsOutside(wired)) return null;
    if (choices.status === 'failed') return choices.problem;
    return questions.get('value')?.failed ?? questions.get('record')?.failed ?? null;
  }

  /** Why a field offers nothing, in sentences. */
  whyEmpty(key: string, offer: Offer, row?: Row): string[] {
    const name = row ? `${row.scope.key}.${key}` : key;
    return offer.empty ? whyEmpty(name, offer.empty, this.names) : [];
  }

  /** What formulas of the form, or of the rows of a grid, are designed with. */
  scope(key: string): LiveScope {
    const names = this.form.names.get(key) ?? { find: () => null, all: () => [] };
    const around = () => this.entry;
    return {
      names,
      said: saidNames(this.form, this.tables, key),
      get host() {
        const entry = around();
        return key === '' ? entry.root : (entry.rows(key)[0] ?? null);
      },
      get clock() {
        return around().clock;
      },
    };
  }

  /** How the parts of the form are called. */
  get names(): Names {
    return {
      field: (key) => this.label(key),
      path: (key, path) => {
        const [grid = '', inRow] = key.split('.');
        const wired = inRow
          ? this.form.scopes.get(grid)?.fields.get(inRow)
          : this.form.fields.get(key);
        const choices = wired ? tableChoices(wired.field) : null;
        const referred = wired?.type.kind === 'reference' ? wired.type.table : undefined;
        const table = this.tables.get(choices?.table ?? referred ?? '');
        return table ? pathLabel(this.tables, table, path) : path;
      },
      value: (key, value) => {
        const [grid = '', inRow] = key.split('.');
        const wired = inRow
          ? this.form.scopes.get(grid)?.fields.get(inRow)
          : this.form.fields.get(key);
        const now = !inRow && wired && this.entry.value(key) === value ? this.shown(key) : '';
        return now || (wired ? formatValue(wired.type, value, reader()) : String(value));
      },
    };
  }

  /** Where a person has changed something last; empty where it was more than one field. */
  lastPath = '';

  #changed(path: string | RegExp): void {
    this.lastPath = typeof path === 'string' ? path : '';
    const gone = (at: string) => (typeof path === 'string' ? at === path : path.test(at));
    if (this.serverProblems.some((p) => gone(p.path))) {
      this.serverProblems = this.serverProblems.filter((p) => !gone(p.path));
    }
    this.edits++;
    this.#version++;
    void this.pump();
  }
}
