import { draftAnswer, formAnswer, type KeptForm } from '$lib/core/contract/answers';
import { lacksPatterns, loadPatterns } from '$lib/core/formula/functions/patterns';
import type { Plan } from '$lib/core/plan/schema';
import type { Problem } from '$lib/core/problems';
import { call } from '$lib/ui/shared/api';
import { keepSteps, recallSteps } from './kept-steps';

/** What another designer has made of the draft meanwhile. */
export interface Meanwhile {
  by: string;
  /** The plan before and after it. */
  before: Plan;
  after: Plan;
}

const mostSteps = 300;
const longestPause = 8000;

/**
 * A draft on the designer's screen: every change is one step of undo, and is kept by itself, one
 * after the other. While the server is away changes wait here and are sent when it is back.
 */
export class DesignSession {
  readonly formKey: string;
  plan = $state.raw<Plan>() as Plan;
  /** The revision that the server holds. */
  revision = $state(0);
  edition = $state(0);
  changed = $state(false);
  /** The plan as the server holds it. */
  keptPlan = $state.raw<Plan>() as Plan;
  state = $state<'kept' | 'keeping' | 'away' | 'refused'>('kept');
  problems = $state.raw<Problem[]>([]);
  /** The last change that came from somebody else, until it was seen. */
  meanwhile = $state.raw<Meanwhile | null>(null);
  #past = $state.raw<Plan[]>([]);
  #future = $state.raw<Plan[]>([]);
  #keeping: Promise<void> | null = null;
  #pause = 500;
  /** Who waits for the server to hold a plan. */
  #waiting: { plan: Plan; done: (revision: number | null) => void }[] = [];

  constructor(formKey: string, plan: Plan, kept: KeptForm) {
    this.formKey = formKey;
    this.plan = plan;
    this.keptPlan = plan;
    this.revision = kept.revision;
    this.edition = kept.edition;
    this.changed = kept.changed;
  }

  /**
   * Takes up the steps of undo that were kept in this browser, where the draft is still the one they
   * lead to.
   */
  async recall(): Promise<void> {
    const known = await recallSteps(this.formKey);
    const fresh = this.#past.length === 0 && this.#future.length === 0;
    if (!known || !fresh || known.plan !== JSON.stringify(this.plan)) return;
    if (lacksPatterns(known)) await loadPatterns();
    this.#past = known.past;
    this.#future = known.future;
  }

  /**
   * The revision under which the server holds a plan of this draft, as soon as it does; `null` where it never will,
   * since another plan has taken its place.
   */
  revisionOf(plan: Plan): Promise<number | null> {
    if (plan === this.keptPlan) return Promise.resolve(this.revision);
    if (plan !== this.plan) return Promise.resolve(null);
    return new Promise((done) => this.#waiting.push({ plan, done }));
  }

  /** Tells those who wait for a plan that the server holds it now, or that it never will. */
  #tellWaiting(): void {
    const waiting = this.#waiting;
    this.#waiting = waiting.filter(({ plan }) => plan === this.plan && plan !== this.keptPlan);
    for (const { plan, done } of waiting) {
      if (plan === this.keptPlan) done(this.revision);
      else if (plan !== this.plan) done(null);
    }
  }

  get canUndo(): boolean {
    return this.#past.length > 0;
  }

  get canRedo(): boolean {
    return this.#future.length > 0;
  }

  /** Changes the plan by a pure edit; an edit that changes nothing is no step. */
  apply(edit: (plan: Plan) => Plan): void {
    const next = edit(this.plan);
    if (next === this.plan) return;
    // Nothing is shown before what its formulas ask for is there.
    if (lacksPatterns(next)) return void loadPatterns().then(() => this.apply(edit));
    this.#past = [...this.#past.slice(1 - mostSteps), this.plan];
    this.#future = [];
    this.#show(next);
  }

  undo(): void {
    const last = this.#past.at(-1);
    if (!last) return;
    this.#past = this.#past.slice(0, -1);
    this.#future = [this.plan, ...this.#future];
    this.#show(last);
  }

  redo(): void {
    const [next, ...rest] = this.#future;
    if (!next) return;
    this.#future = rest;
    this.#past = [...this.#past, this.plan];
    this.#show(next);
  }

  /** Looks whether somebody else has changed the draft, and takes it over where nothing waits here. */
  async look(): Promise<void> {
    if (this.state === 'keeping' || this.state === 'away') return;
    const address = `/api/forms/${this.formKey}/draft?known=${this.revision}`;
    const called = await call(draftAnswer.nullable(), address);
    if (!called.ok || !called.value || called.value.form.revision <= this.revision) return;
    const { form, plan } = called.value;
    if (lacksPatterns(plan)) await loadPatterns();
    const before = this.keptPlan;
    this.meanwhile = { by: form.draftBy, before, after: plan };
    if (this.state !== 'kept' || this.plan !== before) return;
    this.#takeOver(form, plan);
  }

  /** Ends a clash: with their draft, or with this one over it. */
  async settle(whose: 'theirs' | 'mine'): Promise<void> {
    const called = await call(draftAnswer, `/api/forms/${this.formKey}/draft`);
    if (!called.ok) {
      this.problems = called.problems;
      return;
    }
    const { form, plan } = called.value;
    if (lacksPatterns(plan)) await loadPatterns();
    const mine = this.plan;
    this.state = 'kept';
    this.problems = [];
    this.meanwhile = null;
    this.#takeOver(form, plan);
    if (whose === 'mine') this.apply(() => mine);
  }

  #takeOver(form: KeptForm, plan: Plan): void {
    // One step back leads to what stood here before.
    this.#past = [...this.#past.slice(1 - mostSteps), this.plan];
    this.#future = [];
    this.keptPlan = plan;
    this.plan = plan;
    this.#take(form);
  }

  /** Freezes the draft as an edition, over rehearsals that fail with a word of why; gives what refused it. */
  async publish(why = ''): Promise<Problem[]> {
    await this.#keep();
    if (this.state !== 'kept') return this.problems;
    const called = await call(formAnswer, `/api/forms/${this.formKey}/editions`, {
      body: { revision: this.revision, ...(why === '' ? {} : { why }) },
    });
    if (!called.ok) return called.problems;
    this.#take(called.value);
    return [];
  }

  #show(plan: Plan): void {
    this.plan = plan;
    this.#tellWaiting();
    keepSteps(this.formKey, { plan, past: this.#past, future: this.#future });
    void this.#keep();
  }

  /** Sends what is not kept yet; while that is on its way, every call waits for the same end. */
  #keep(): Promise<void> {
    if (this.state === 'refused') return Promise.resolve();
    this.#keeping ??= this.#send().finally(() => {
      this.#keeping = null;
      // What was changed in the very moment of the end.
      if (this.state === 'kept' && this.plan !== this.keptPlan) void this.#keep();
    });
    return this.#keeping;
  }

  async #send(): Promise<void> {
    while (this.plan !== this.keptPlan) {
      const plan = this.plan;
      this.state = 'keeping';
      const called = await call(formAnswer, `/api/forms/${this.formKey}/draft`, {
        method: 'PUT',
        body: { revision: this.revision, plan },
      });
      if (!called.ok) return this.#failed(called.status, called.problems);
      this.keptPlan = plan;
      this.#take(called.value);
    }
    this.state = 'kept';
    this.problems = [];
    this.#pause = 500;
  }

  #failed(status: number, problems: Problem[]): void {
    this.problems = problems;
    this.state = status === 503 ? 'away' : 'refused';
    if (status === 409) void this.look();
    if (status !== 503) return;
    this.#pause = Math.min(this.#pause * 2, longestPause);
    setTimeout(() => void this.#keep(), this.#pause);
  }

  #take({ revision, edition, changed }: KeptForm): void {
    this.revision = revision;
    this.edition = edition;
    this.changed = changed;
    this.#tellWaiting();
  }
}
