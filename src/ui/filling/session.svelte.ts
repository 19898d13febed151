import { SvelteSet } from 'svelte/reactivity';
import type { Answer, Ask, Choice, Offer } from '$lib/core/entry/asks';
import { Entry, type Beginning, type ChoicesState } from '$lib/core/entry/entry';
import { whyEmpty, type Names } from '$lib/core/entry/words';
import { tableChoices } from '$lib/core/plan/schema';
import { problem, type Problem } from '$lib/core/problems';
import type { Tables } from '$lib/core/table/definition';
import { pathLabel, shownLine } from '$lib/core/table/paths';
import { formatValue } from '$lib/core/values/format';
import type { Value, ValueType } from '$lib/core/values/types';
import type { WiredForm } from '$lib/core/wiring/form';
import { call } from '$lib/ui/shared/api';

/** Which plan the server is to read under: an edition, or the designer's draft at a revision. */
export type PlanSource = { edition: number } | { draft: number };

const longestPause = 8000;

/**
 * An entry on the screen: the engine of core, with its asks sent to the server. Reads through it are
 * reactive. While the server is away it tries again with growing pauses; nothing typed is lost.
 */
export class EntrySession {
  readonly form: WiredForm;
  readonly tables: Tables;
  readonly #address: string;
  readonly #source: PlanSource;
  readonly #entry: Entry;
  // Nothing on the screen follows it.
  // eslint-disable-next-line svelte/prefer-svelte-reactivity
  readonly #inFlight = new Set<string>();
  #version = $state(0);
  #pause = 500;
  #closed = false;
  /** Whether the server, or its database, does not answer. */
  away = $state(false);
  /** Problems told by the server, by path; each goes when its field changes. */
  serverProblems = $state.raw<Problem[]>([]);
  /** Whether problems are shown at fields that were not touched. */
  showsAll = $state(false);
  readonly touched = new SvelteSet<string>();

  constructor(
    formKey: string,
    source: PlanSource,
    form: WiredForm,
    tables: Tables,
    beginning: Beginning = { mode: 'new' },
  ) {
    this.form = form;
    this.tables = tables;
    this.#address = `/api/forms/${formKey}/read`;
    this.#source = source;
    this.#entry = new Entry(form, beginning);
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

  set(key: string, value: Value, choice: Choice | null = null): void {
    this.#entry.set(key, value, choice);
    this.#changed(key);
  }

  type(key: string, text: string): void {
    this.#entry.type(key, text);
    this.#changed(key);
  }

  /** Sends what the entry asks and is not on its way yet. Call it once when the entry is shown. */
  async pump(): Promise<void> {
    const asks = this.#entry.asks().filter((ask) => !this.#inFlight.has(ask.id));
    if (asks.length === 0 || this.#closed) return;
    for (const ask of asks) this.#inFlight.add(ask.id);
    const wanted: Ask[] = asks.map(({ id, field }) => ({ id, field }));
    const read = await this.#read(wanted);
    for (const ask of asks) this.#inFlight.delete(ask.id);
    if (this.#closed) return;
    if (read.ok) {
      this.#pause = 500;
      this.away = false;
      this.#entry.answer(read.value.answers);
    } else if (read.status === 503) {
      this.away = true;
      this.#pause = Math.min(this.#pause * 2, longestPause);
      setTimeout(() => void this.pump(), this.#pause);
      return;
    } else {
      const [first] = read.problems;
      this.#entry.answer(
        asks.map((ask) => ({ id: ask.id, failed: first ?? problem('unreachable') })),
      );
    }
    this.#version++;
    await this.pump();
  }

  /** Reads a page of a field's choices as they are now, for an opened list. */
  async list(key: string, search: string, after?: string): Promise<Offer | Problem> {
    const ask: Ask = { id: `list:${key}`, field: key, search, ...(after ? { after } : {}) };
    const read = await this.#read([ask]);
    if (!read.ok) return read.problems[0] ?? problem('unreachable');
    const answer = read.value.answers.find((candidate) => candidate.id === ask.id);
    if (!answer) return problem('read_failed', { label: this.label(key) });
    return 'failed' in answer ? answer.failed : answer;
  }

  /** Asks again what failed. */
  retry(): void {
    this.#entry.retry();
    this.#version++;
    void this.pump();
  }

  /** Ends the session: late answers are ignored. */
  close(): void {
    this.#closed = true;
  }

  label(key: string): string {
    return this.form.fields.get(key)?.field.label ?? key;
  }

  typeOf(key: string): ValueType | null {
    return this.form.fields.get(key)?.type ?? null;
  }

  choices(key: string): ChoicesState {
    return this.entry.choices(key);
  }

  /** A field's value as people read it. */
  shown(key: string): string {
    const current = this.entry.current(key);
    if (current) return this.choiceLine(key, current);
    const type = this.typeOf(key);
    const value = this.entry.value(key);
    return type && value !== null ? formatValue(type, value) : '';
  }

  /** A choice in one line: the first shown columns. */
  choiceLine(key: string, choice: Choice): string {
    const parts = choice.shown.map((part) => (part === null ? '' : String(part)));
    return shownLine(parts.length > 0 ? parts : [String(choice.value)]);
  }

  /** The problem to be shown at a field, if any. */
  problemAt(key: string): Problem | null {
    const told = this.serverProblems.find((p) => p.path === key);
    if (told) return told;
    const found = this.entry.problems().find((p) => p.path === key);
    if (!found) return null;
    const quiet =
      found.code === 'required' ? !this.showsAll : !this.touched.has(key) && !this.showsAll;
    return quiet && found.code !== 'not_offered' ? null : found;
  }

  /** Why a field offers nothing, in sentences. */
  whyEmpty(key: string, offer: Offer): string[] {
    return offer.empty ? whyEmpty(key, offer.empty, this.names) : [];
  }

  /** How the parts of the form are called. */
  get names(): Names {
    return {
      field: (key) => this.label(key),
      path: (key, path) => {
        const field = this.form.fields.get(key)?.field;
        const choices = field ? tableChoices(field) : null;
        const table = choices ? this.tables.get(choices.table) : undefined;
        return table ? pathLabel(this.tables, table, path) : path;
      },
      value: (key, value) => {
        const shown = this.entry.value(key) === value ? this.shown(key) : '';
        const type = this.typeOf(key);
        return shown || (type ? formatValue(type, value) : String(value));
      },
    };
  }

  #changed(key: string): void {
    this.serverProblems = this.serverProblems.filter((p) => p.path !== key);
    this.#version++;
    void this.pump();
  }

  #read(asks: Ask[]) {
    return call<{ answers: Answer[] }>(this.#address, {
      body: { ...this.#source, values: this.#entry.values(), asks },
    });
  }
}
