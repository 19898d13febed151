import {
  nothingWanted,
  rehearsalAnswer,
  rehearsalRunAnswer,
  rehearsalsAnswer,
  type RehearsalAnswer,
  type RehearsalRun,
} from '$lib/core/contract/answers';
import type { Entry } from '$lib/core/entry/entry';
import type { AskedHashes } from '$lib/core/plan/asked-sheet';
import { problem, ProblemError, type Problem } from '$lib/core/problems';
import { placeIn, type Strictness } from '$lib/core/rehearsal/rehearsal';
import { rowAt } from '$lib/core/rehearsal/play';
import { rehearsedForm, runAsRecorded } from '$lib/core/rehearsal/run';
import { stepsOf } from '$lib/core/rehearsal/steps';
import type { TraceEvent } from '$lib/core/entry/trace';
import type { WiredForm } from '$lib/core/wiring/form';
import { call } from '$lib/ui/shared/api';

/** What came of a rehearsal on the draft, and what happened at each place that does not fit. */
export interface Outcome extends RehearsalRun {
  why: Readonly<Record<string, readonly TraceEvent[]>>;
  /** With which answers it was played. */
  answers: 'recorded' | 'now';
}

/** What a draft is played on: the plan wired, and how the server names it. */
export interface PlayedOn {
  form: WiredForm;
  revision: () => Promise<number | null>;
}

/** After a change of the draft it is waited so long for the next one. Milliseconds. */
const pause = 250;
/** So many of the latest events at a place are told. */
const mostTold = 6;

/** The rehearsals of a form on the designer's screen, played again whenever the draft has changed. */
export class Rehearsing {
  kept = $state.raw<readonly RehearsalAnswer[]>([]);
  outcomes = $state.raw<Readonly<Record<number, Outcome>>>({});
  problems = $state.raw<Problem[]>([]);
  /** Whether they are being played. */
  playing = $state(false);
  readonly #at: string;
  #turn = 0;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #on: PlayedOn | null = null;

  constructor(formKey: string) {
    this.#at = `/api/forms/${formKey}/rehearsals`;
  }

  /** Those that do not come out as expected. */
  get failing(): readonly RehearsalAnswer[] {
    return this.kept.filter(({ id }) => this.outcomes[id]?.holds === false);
  }

  async load(): Promise<void> {
    const called = await call(rehearsalsAnswer, this.#at);
    if (called.ok) this.kept = called.value;
    else this.problems = called.problems;
    this.playSoon();
  }

  /** Plays them on a draft, once nothing has changed for a moment. */
  follow(on: PlayedOn): void {
    this.#on = on;
    this.playSoon();
  }

  playSoon(): void {
    clearTimeout(this.#timer);
    this.#turn++;
    if (this.kept.length === 0) this.outcomes = {};
    else this.#timer = setTimeout(() => void this.#playAll(), pause);
  }

  async #playAll(): Promise<void> {
    const turn = ++this.#turn;
    this.playing = true;
    const outcomes: [number, Outcome][] = [];
    for (const one of this.kept) {
      const outcome = await this.#play(one).catch((error: unknown) => this.#ended(one, error));
      if (turn !== this.#turn) return;
      if (outcome) outcomes.push([one.id, outcome]);
      // Whoever types comes first.
      await new Promise((resolve) => setTimeout(resolve));
    }
    if (turn !== this.#turn) return;
    this.outcomes = Object.fromEntries(outcomes);
    this.playing = false;
  }

  /** One that comes to no end does not hold, and why is told. */
  #ended({ name }: RehearsalAnswer, error: unknown): Outcome {
    if (!(error instanceof ProblemError)) throw error;
    this.problems = error.problems.map((one) => ({ ...one, message: `${name}: ${one.message}` }));
    return {
      holds: false,
      lines: [],
      lost: [],
      unheard: 0,
      why: {},
      answers: 'recorded',
    };
  }

  async #play({ id, rehearsal }: RehearsalAnswer): Promise<Outcome | null> {
    if (!this.#on) return null;
    const form = rehearsedForm(this.#on.form, rehearsal);
    const { verdict, played, unheard } = await runAsRecorded(form, rehearsal);
    if (unheard.length > 0) return this.#onServer(id, 'recorded');
    const wrong = verdict.lines.filter(({ fits }) => !fits);
    const why = Object.fromEntries(wrong.map(({ at }) => [at, eventsAt(played.entry, at)]));
    return { ...verdict, lost: [...verdict.lost], unheard: 0, why, answers: 'recorded' };
  }

  /** Has the server play: it can ask what was not recorded, and what is stored now. */
  async #onServer(
    id: number,
    answers: 'recorded' | 'now',
    accept = false,
  ): Promise<Outcome | null> {
    const draft = (await this.#on?.revision()) ?? null;
    if (draft === null) return null;
    const body = { draft, answers, accept };
    const called = await call(rehearsalRunAnswer, `${this.#at}/${id}/run`, { body });
    if (!called.ok) this.problems = called.problems;
    return called.ok ? { ...called.value, why: {}, answers } : null;
  }

  /** Plays one on what is stored now. */
  async playNow(one: RehearsalAnswer): Promise<void> {
    this.problems = [];
    const outcome = await this.#onServer(one.id, 'now');
    if (outcome) this.outcomes = { ...this.outcomes, [one.id]: outcome };
  }

  /** Keeps what stands in an entry; gives what refused it. */
  async keep(name: string, entry: Entry, asked: AskedHashes = {}): Promise<Problem[]> {
    const { link } = entry.state();
    return this.#add(name, { steps: stepsOf(entry, null), link, asked, record: null });
  }

  /** Keeps a stored record as it is. */
  keepRecord(name: string, record: number): Promise<Problem[]> {
    return this.#add(name, { steps: [], record });
  }

  async #add(name: string, more: object): Promise<Problem[]> {
    const draft = (await this.#on?.revision()) ?? null;
    if (draft === null) return [problem('draft_changed')];
    const called = await call(rehearsalAnswer, this.#at, { body: { name, draft, ...more } });
    if (!called.ok) return called.problems;
    await this.load();
    return [];
  }

  /** Takes rehearsals that came with a plan; those whose names are taken are left. */
  async bring(all: readonly { name: string; rehearsal: object }[]): Promise<void> {
    const taken = this.kept.map(({ name }) => name);
    for (const body of all.filter(({ name }) => !taken.includes(name))) {
      const called = await call(rehearsalAnswer, this.#at, { body });
      if (!called.ok) this.problems = called.problems;
    }
    await this.load();
  }

  /** Takes what comes now as what is expected. */
  async accept(one: RehearsalAnswer): Promise<void> {
    this.problems = [];
    const { answers = 'recorded' } = this.outcomes[one.id] ?? {};
    await this.#onServer(one.id, answers, true);
    await this.load();
  }

  /** Changes its name, or how much it expects. */
  async change(
    { id, revision }: RehearsalAnswer,
    changes: { name?: string; hows?: Strictness[] },
  ): Promise<void> {
    const body = { revision, ...changes };
    const called = await call(rehearsalAnswer, `${this.#at}/${id}`, { method: 'PUT', body });
    this.problems = called.ok ? [] : called.problems;
    await this.load();
  }

  async remove({ id }: RehearsalAnswer): Promise<void> {
    const called = await call(nothingWanted, `${this.#at}/${id}`, { method: 'DELETE' });
    this.problems = called.ok ? [] : called.problems;
    await this.load();
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#turn++;
  }
}

/** What happened last at a place. */
function eventsAt(entry: Entry, at: string): TraceEvent[] {
  const { grid, field } = placeIn(at);
  const row = grid === null ? null : (rowAt(entry, at)?.key ?? null);
  const name = grid === null ? field : `${grid}.${field ?? ''}`;
  return entry.trace.filter((event) => event.field === name && event.row === row).slice(-mostTold);
}
