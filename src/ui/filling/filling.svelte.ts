import type { PersonFacts } from '$lib/core/entry/person';
import { say } from '$lib/core/words/say';
import { clashAnswer, receiptAnswer, type Receipt } from '$lib/core/contract/answers';
import { newBeginning, type Beginning, openedBeginning } from '$lib/core/entry/beginning';
import type { EntryState } from '$lib/core/entry/state';
import type { Filled } from '$lib/core/entry/filled';
import { compareChanges, merged, type Side } from '$lib/core/entry/merge';
import { type OpenedRecord } from '$lib/core/entry/stored';
import { fittingState } from '$lib/core/entry/fitting';
import type { KeptSets } from '$lib/core/plan/asked-sheet';
import type { Plan } from '$lib/core/plan/schema';
import type { Problem } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { displayPaths } from '$lib/core/table/paths';
import type { Value } from '$lib/core/values/types';
import { wireForm, type WiredForm } from '$lib/core/wiring/form';
import { call } from '$lib/ui/shared/api';
import { settlePending } from '$lib/ui/shared/pending';
import { tellButton } from './buttons';
import { sameState, type Clash, type ToldChange } from './clash';
import { DraftKeeper, type KeptDraft, type ServerDraft } from './kept-draft';
import { Asking, type OtherQuestions } from './asking.svelte';
import { saveRequest } from './save-request';
import { EntrySession, type TableForm } from './session.svelte';
import { Steps } from './steps';

/** What a form is filled with. */
export interface FillingGiven {
  formKey: string;
  plan: Plan;
  edition: number;
  tables: House;
  /** The questions that it asks, by section. */
  sets?: KeptSets;
  /** The stored record in one line. */
  named?: string;
  /** The stored record that is changed; `null` for a new one. */
  opened: OpenedRecord | null;
  /** Values that a new entry begins with, by field. */
  carried: Readonly<Record<string, Value>>;
  /** Where the server answers for the form, where that is not the form's own address. */
  at?: string;
  /** A guest sees this one record, and goes nowhere from it. */
  guest?: boolean;
  /** What somebody reads who has added a record by a public link; others read what was written. */
  thanks?: string | undefined;
  /** Is told how often a guest can save from now on. */
  onleft?: (left: number) => void;
  /** The same as the address carries it: it names the draft. */
  carriedBy?: string;
  /** The forms with which missing records can be added. */
  forms?: readonly TableForm[];
  /** The signed-in person. */
  person: PersonFacts;
  /** What the link's address carries. */
  link: Readonly<Record<string, string>>;
  /** Whether what is typed is kept until it is saved. */
  keeps?: boolean;
}

/**
 * One person filling one form: the entry on the screen, its draft, its saves, and what is done when
 * another person has saved the same record meanwhile.
 */
export class Filling {
  readonly given: FillingGiven;
  form: WiredForm;
  readonly asking: Asking;
  /** The definitions that the form has to do with, those of its questions included. */
  #tables: House;
  /** Questions that are on their way. */
  #following: Promise<void> = Promise.resolve();
  readonly #keeper: DraftKeeper;
  session: EntrySession = $state.raw() as EntrySession;
  /** The stored record as it was opened. */
  base = $state.raw<OpenedRecord | null>(null);
  submission: string = crypto.randomUUID();
  receipt = $state.raw<Receipt | null>(null);
  clash = $state.raw<Clash | null>(null);
  /** When the save under way began, in milliseconds; `null` while there is none. */
  savingSince = $state<number | null>(null);
  get saving(): boolean {
    return this.savingSince !== null;
  }
  ready = $state(false);
  /** When what is typed was kept last. */
  keptAt = $state<number | null>(null);
  /** When the draft was made that was found again. */
  restored = $state<number | null>(null);
  /** What is to be told once: that changes were merged. */
  note = $state('');
  #timer: ReturnType<typeof setTimeout> | undefined;
  #steps: Steps;
  /** When the steps were noted last: a person has done nothing since while these are the same. */
  #noted: { session: EntrySession | null; edits: number } = { session: null, edits: 0 };
  /** Told before the form is made anew. */
  onrenew: () => void = () => {};
  canUndo = $state(false);
  canRedo = $state(false);

  constructor(given: FillingGiven) {
    this.given = given;
    const at = given.at ?? `/api/forms/${given.formKey}`;
    this.asking = new Asking(given.plan, at, given.sets);
    this.#tables = given.tables;
    this.form = wireForm(this.asking.asked(), given.tables);
    this.base = given.opened;
    this.#keeper = new DraftKeeper(given.formKey, given.opened?.stored.id ?? null, given.carriedBy);
    this.session = this.#begin();
    this.#steps = new Steps(this.session.entry.state());
  }

  /** Looks for a draft that was left, and begins. */
  async start(onServer: ServerDraft | null): Promise<void> {
    const kept = this.given.keeps === false ? null : await this.#keeper.read(onServer);
    if (kept && (kept.base === null) === (this.base === null)) await this.#restore(kept);
    this.ready = true;
    void this.session.reads.pump();
    await this.follow();
    this.#beginSteps();
  }

  /** Goes on with a draft; where the record has changed since, both sides are shown. */
  async #restore(kept: KeptDraft): Promise<void> {
    const now = this.base;
    if (kept.sets) {
      await this.asking.recall(kept.sets);
      this.form = wireForm(this.asking.asked(), this.#tables);
    }
    this.submission = kept.submission;
    this.restored = kept.at;
    this.keptAt = kept.at;
    if (!now) {
      this.session = this.#begin({ ...newBeginning(kept.state), takesOnly: true });
    } else {
      this.base = kept.base;
      this.session = this.#begin(undefined, kept.state);
      if (kept.base && !sameState(kept.base, now)) this.#meet(now, [], {});
    }
    if (!kept.sets) return;
    // What the questions name need not be among what the page came with.
    const { entry } = this.session;
    const same = await this.asking.again(entry, { edition: this.given.edition });
    if (same) this.takeQuestions(same);
  }

  #begin(beginning?: Beginning, filled?: Filled): EntrySession {
    const { formKey, edition, person, link, carried } = this.given;
    const opened = this.base && openedBeginning(this.base);
    const session = new EntrySession(
      formKey,
      { edition, ...this.asking.hashes() },
      this.form,
      this.#tables,
      { ...(beginning ?? opened ?? { mode: 'new' }), filled, around: { person, link } },
      this.given.at,
    );
    session.forms = this.given.forms ?? [];
    session.guest = this.given.guest === true;
    const own = Object.keys(carried);
    if (!beginning && !opened && own.length > 0) session.takeOver({ values: carried, own });
    return session;
  }

  /** Keeps what is typed a moment after each change. Call it when a person has changed something. */
  keep(): void {
    const { ready, receipt, given, session } = this;
    if (!ready || receipt || given.keeps === false || session.edits === 0) return;
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => void this.#keepNow(), 300);
  }

  async #keepNow(): Promise<void> {
    const at = Date.now();
    const draft = this.#draft(at);
    this.#note(draft.state);
    if (await this.#keeper.keep(draft, this.about())) this.keptAt = at;
  }

  #draft(at: number): KeptDraft & { state: EntryState } {
    const { submission, base } = this;
    const { edition } = this.given;
    const sets = this.asking.any ? { sets: this.asking.sets } : {};
    return { state: this.session.entry.state(), submission, edition, base, at, ...sets };
  }

  /** Sends what is not kept yet: the page is about to go. */
  flush(): void {
    const { ready, receipt, given, session } = this;
    if (!ready || receipt || given.keeps === false || session.edits === 0) return;
    clearTimeout(this.#timer);
    void this.#keeper.flush(this.#draft(Date.now()), this.about());
  }

  #offerSteps(): void {
    [this.canUndo, this.canRedo] = [this.#steps.canUndo, this.#steps.canRedo];
  }

  #note(state = this.session.entry.state()): void {
    // What has been read meanwhile is nothing that a person did.
    if (this.#isUntouched()) this.#steps.settle(state);
    else this.#steps.note(state, this.session.lastPath);
    this.#noteEdits();
    this.#offerSteps();
  }

  /** Steps lead back to what the entry is now, and no further. */
  #beginSteps(): void {
    this.#steps = new Steps(this.session.entry.state());
    this.#noteEdits();
  }

  #isUntouched(): boolean {
    const { session, edits } = this.#noted;
    return session === this.session && edits === session.edits;
  }

  #noteEdits(): void {
    this.#noted = { session: this.session, edits: this.session.edits };
  }

  /** Takes the last step back, or forth again. */
  undo(): void {
    clearTimeout(this.#timer);
    this.#note();
    this.#goTo(this.#steps.undo());
  }

  redo(): void {
    clearTimeout(this.#timer);
    this.#note();
    this.#goTo(this.#steps.redo());
  }

  #goTo(state: EntryState | null): void {
    if (!state) return;
    const { problems } = this.session;
    this.session.close();
    this.session = this.base
      ? this.#begin(undefined, state)
      : this.#begin({ ...newBeginning(state), takesOnly: true });
    this.session.problems.goOnFrom(problems);
    // Kept like any other change.
    this.session.edits++;
    this.#noteEdits();
    this.#offerSteps();
    void this.session.reads.pump();
  }

  /** Asks the questions under the values that stand in the form now. Call it when a person has changed something. */
  follow(): Promise<void> {
    const { asking, given, session } = this;
    if (!asking.any) return this.#following;
    this.#following = asking
      .follow(session.entry, { edition: given.edition })
      .then((others) => void (others && this.takeQuestions(others)));
    return this.#following;
  }

  /** Goes on with other questions; answers to those that are asked in both stay. */
  takeQuestions({ sets, tables }: OtherQuestions): void {
    const { problems, edits, entry } = this.session;
    const untouched = this.#isUntouched();
    const state = entry.state();
    this.onrenew();
    this.session.close();
    this.asking.sets = sets;
    this.asking.newer = null;
    this.#tables = tables;
    this.form = wireForm(this.asking.asked(), tables);
    const fitting = fittingState(this.form, state);
    this.session = this.base
      ? this.#begin(undefined, { ...fitting, rows: state.rows })
      : this.#begin({ ...newBeginning(fitting), takesOnly: true });
    this.session.problems.goOnFrom(problems);
    this.session.edits = edits;
    if (untouched) this.#noteEdits();
    void this.session.reads.pump();
  }

  /** In a few words what the entry is about: what shows a record of its table, as far as it is filled. */
  about(): string {
    const table = this.#tables.get(this.given.plan.table);
    const columns = table
      ? displayPaths(this.#tables, table).map((path) => path.split('.')[0])
      : [];
    const shown = [...this.form.fields.values()].flatMap(({ field }) => {
      const meant = field.savesTo !== null && columns.includes(field.savesTo);
      return meant ? [this.session.words.shown(field.key)] : [];
    });
    return shown.filter((part) => part !== '').join(' · ');
  }

  /** Saves; gives the path of the first problem, or `null` where it was saved. */
  async save(): Promise<string | null> {
    this.session.problems.told = [];
    this.note = '';
    this.savingSince ??= Date.now();
    // What stands in a control is made a value first; what was changed last may still be on its way.
    const left = await settlePending();
    await this.follow();
    await this.session.reads.settled();
    this.savingSince = null;
    const { session } = this;
    if (left.length > 0) {
      session.problems.told = left;
      return left[0]?.path ?? '';
    }
    session.problems.showsAll = true;
    const [first] = session.problems.all;
    if (first) return first.path;
    this.savingSince ??= Date.now();
    const called = await call(
      receiptAnswer,
      `${this.given.at ?? `/api/forms/${this.given.formKey}`}/entries`,
      { body: this.#request() },
    );
    this.savingSince = null;
    if (called.ok) {
      clearTimeout(this.#timer);
      if (this.given.keeps !== false) await this.#keeper.forget();
      this.receipt = called.value.receipt;
      if (called.value.left !== undefined) this.given.onleft?.(called.value.left);
      return null;
    }
    const clash = called.status === 409 ? clashAnswer.safeParse(called.body) : null;
    if (clash?.success) {
      const { now, conflicts, shown } = clash.data;
      this.#meet(now, conflicts, shown);
      return '';
    }
    session.problems.told = called.problems;
    // What was seen here is not as it is now.
    if (called.status === 422) session.refresh();
    return called.problems[0]?.path ?? '';
  }

  /** Has the server tell outside systems what a button says; gives what went wrong. */
  async tell(button: string): Promise<readonly Problem[]> {
    const { session, given } = this;
    const at = given.at ?? `/api/forms/${given.formKey}`;
    const under = { edition: given.edition, ...this.asking.hashes() };
    return tellButton(session, at, under, button);
  }

  #request(): Record<string, unknown> {
    const { submission, given, session } = this;
    const under = { submission, edition: given.edition, ...this.asking.hashes() };
    return saveRequest(session.entry, under, this.base?.stored ?? null);
  }

  /** Lays what was filled here beside what the record has become. */
  #meet(
    now: OpenedRecord,
    told: readonly ToldChange[],
    shown: Readonly<Record<string, string>>,
  ): void {
    if (!this.base) return;
    const yours = this.session.entry.state();
    const comparison = compareChanges(this.form, this.base, yours, now);
    this.clash = { ...comparison, now, told, shown };
  }

  /** Goes on from the record as it is now, with your changes and the sides that were chosen. */
  settleClash(sides: ReadonlyMap<string, Side>): void {
    const { clash, base } = this;
    if (!clash || !base) return;
    const yours = this.session.entry.state();
    const both = merged(this.form, base, yours, clash.now, sides);
    this.session.close();
    this.base = clash.now;
    this.submission = crypto.randomUUID();
    this.session = this.#begin(undefined, both);
    // Kept at once: the draft stands on the record as it is now.
    this.session.edits++;
    this.clash = null;
    this.note = say('Both sets of changes are merged here. Nothing is saved yet.');
    void this.session.reads.pump();
  }

  /** Begins anew: empty, with what was put into the entry that was just saved, or with what the plan carries on. */
  another(like: 'empty' | 'like' | 'next' = 'empty'): void {
    const state = this.session.entry.state();
    this.#reset();
    this.base = null;
    const kept = like === 'next' ? this.#carried(state) : state;
    this.session =
      like === 'empty' ? this.#begin() : this.#begin({ ...newBeginning(kept), takesOnly: true });
    this.#beginSteps();
    this.#offerSteps();
    void this.session.reads.pump();
  }

  /** What stays for the next record: the fields of which the plan says so. */
  #carried({ values, own }: EntryState): Filled {
    const keys = [...this.form.fields.values()]
      .filter(({ field }) => field.carries)
      .map(({ field }) => field.key);
    const some = Object.fromEntries(keys.map((key) => [key, values[key] ?? null]));
    return { values: some, own: own.filter((key) => keys.includes(key)) };
  }

  /** Gives up what was typed, and begins with the record as it is stored, or empty. */
  async startOver(now: OpenedRecord | null): Promise<void> {
    clearTimeout(this.#timer);
    this.#note();
    await this.#keeper.forget();
    this.#reset();
    this.base = now;
    this.session = this.#begin();
    // It can be undone: what was given up is the step before.
    this.#steps.note(this.session.entry.state(), '');
    this.#noteEdits();
    this.#offerSteps();
    void this.session.reads.pump();
  }

  #reset(): void {
    this.session.close();
    this.submission = crypto.randomUUID();
    this.receipt = null;
    this.clash = null;
    this.restored = null;
    this.keptAt = null;
    this.note = '';
  }

  /** All problems that are shown: what the server told, and what stands in the form. */
  problems(): Problem[] {
    return this.session.problems.shown();
  }

  /** Makes a new record of what was filled, where the stored one is gone. */
  saveAsNew(): void {
    this.another('like');
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#keeper.close();
    this.session.close();
  }
}
