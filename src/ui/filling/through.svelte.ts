import type { PersonFacts } from '$lib/core/entry/person';
import { say } from '$lib/core/words/say';
import { throughAnswer } from '$lib/core/contract/answers';
import {
  changedThrough,
  throughConflicts,
  type ThroughConflict,
  type ThroughRecord,
} from '$lib/core/entry/through';
import type { Plan, Through } from '$lib/core/plan/schema';
import type { Problem } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { wireForm, type WiredForm } from '$lib/core/wiring/form';
import { sameValue } from '$lib/core/values/types';
import { call } from '$lib/ui/shared/api';
import { settlePending } from '$lib/ui/shared/pending';
import { EntrySession } from './session.svelte';

/** What a form that passes through is opened with. */
export interface ThroughGiven {
  formKey: string;
  plan: Plan & { through: Through };
  edition: number;
  tables: House;
  person: PersonFacts;
  /** Where the server answers for the form, where that is not the form's own address. */
  at?: string;
}

/**
 * One person at one outside record: it is read by its key, shown, changed, and written back. Nothing of it
 * is kept here or on the server; what fails leaves what was typed as it stands.
 */
export class Passing {
  readonly given: ThroughGiven;
  readonly form: WiredForm;
  record = $state.raw<ThroughRecord | null>(null);
  session = $state.raw<EntrySession | null>(null);
  problems = $state.raw<Problem[]>([]);
  /** Where another person has changed the same. */
  conflicts = $state.raw<ThroughConflict[]>([]);
  busy = $state(false);
  told = $state('');
  #submission: string = crypto.randomUUID();

  constructor(given: ThroughGiven) {
    this.given = given;
    this.form = wireForm(given.plan, given.tables);
  }

  get #address(): string {
    return `${this.#at}/through`;
  }

  get #at(): string {
    return this.given.at ?? `/api/forms/${this.given.formKey}`;
  }

  /** Reads the record of a key. */
  async open(key: string): Promise<void> {
    this.busy = true;
    this.told = '';
    const read = await call(throughAnswer, `${this.#address}?key=${encodeURIComponent(key)}`);
    this.busy = false;
    this.problems = read.ok ? [] : read.problems;
    if (read.ok) this.#show(read.value);
  }

  #show(record: ThroughRecord, kept: Readonly<Record<string, unknown>> = {}): void {
    const { formKey, edition, tables, person } = this.given;
    this.session?.close();
    this.#submission = crypto.randomUUID();
    this.record = record;
    this.conflicts = [];
    const values = { ...record.values, ...kept };
    const around = { person, link: {} };
    this.session = new EntrySession(
      formKey,
      { edition },
      this.form,
      tables,
      { mode: 'resumed', values, around },
      this.#at,
    );
    void this.session.reads.pump();
  }

  /** The labels of the fields that differ from the record as it was read. */
  get changed(): string[] {
    const { record, session } = this;
    if (!record || !session) return [];
    return changedThrough(this.given.plan.through, record.values, session.entry);
  }

  /** Writes the record back; gives the path of the first problem, or `null` where it was taken. */
  async write(): Promise<string | null> {
    const { record, session } = this;
    if (!record || !session || this.busy) return '';
    const left = await settlePending();
    await session.reads.settled();
    if (left.length > 0) {
      this.problems = left;
      return '';
    }
    session.problems.showsAll = true;
    const [first] = session.entry.problems();
    if (first) return first.path;
    this.busy = true;
    this.told = '';
    const body = {
      key: record.key,
      submission: this.#submission,
      etag: record.etag,
      before: record.values,
      values: session.entry.values(),
    };
    const called = await call(throughAnswer, this.#address, { body });
    this.busy = false;
    this.problems = called.ok ? [] : called.problems;
    if (called.ok) {
      const wished = this.changed;
      const values = session.entry.values();
      this.#show(called.value);
      // Only what the system says afterwards was taken.
      const taken = wished.filter((field) =>
        sameValue(called.value.values[field] ?? null, values[field] ?? null),
      );
      const ignored = wished.filter((field) => !taken.includes(field));
      const label = (field: string) => this.form.fields.get(field)?.field.label ?? field;
      const written = `${taken.length} ${taken.length === 1 ? say('field') : say('fields')}`;
      this.told = [
        taken.length > 0 ? say(`Written back: ${written}.`) : '',
        ignored.length > 0
          ? say(`The system kept its own value for ${ignored.map(label).join(', ')}.`)
          : '',
        wished.length === 0 ? say('Nothing changed, so nothing was written.') : '',
      ]
        .filter((part) => part !== '')
        .join(' ');
      return null;
    }
    const now = called.status === 409 ? throughAnswer.safeParse(called.body.now) : null;
    if (now?.success) this.#meet(now.data);
    else session.problems.told = called.problems;
    return called.problems[0]?.path ?? '';
  }

  /** Lays both people's changes together: only what both have changed is to be chosen. */
  #meet(now: ThroughRecord): void {
    const { record, session } = this;
    if (!record || !session) return;
    const mine = this.changed;
    const yours = (field: string) => session.entry.value(field);
    const conflicts = throughConflicts(mine, record.values, now.values, yours);
    const kept = Object.fromEntries(mine.map((field) => [field, yours(field)]));
    this.#show(now, kept);
    this.conflicts = conflicts;
    this.problems = [];
    this.told = conflicts.length > 0 ? '' : this.#metWords();
  }

  /** What is told where both can stand together: also that a write whose answer was lost was taken. */
  #metWords(): string {
    return this.changed.length === 0
      ? say('The system has what you wrote.')
      : say(
          'Someone else changed other fields in the meantime. Both are merged now; write back again.',
        );
  }

  /** Takes the other person's side at a field. */
  takeTheirs({ field, theirs }: ThroughConflict): void {
    this.session?.set(field, theirs);
    this.conflicts = this.conflicts.filter((conflict) => conflict.field !== field);
  }

  /** Keeps one's own side at a field. */
  keepMine({ field }: ThroughConflict): void {
    this.conflicts = this.conflicts.filter((conflict) => conflict.field !== field);
  }

  close(): void {
    this.session?.close();
  }
}
