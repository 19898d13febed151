import { questionsAnswer } from '$lib/core/contract/answers';
import type { Entry } from '$lib/core/entry/entry';
import { askedBy, askedPlan, asks } from '$lib/core/plan/asked-plan';
import { hashesOf, setsOf, type AskedHashes, type KeptSets } from '$lib/core/plan/asked-sheet';
import type { Plan, Section } from '$lib/core/plan/schema';
import type { House } from '$lib/core/table/definition';
import { tablesWith } from '$lib/core/table/sources';
import type { QuestionFault } from '$lib/core/wiring/questions';
import { sameValue, type Value } from '$lib/core/values/types';
import { call } from '$lib/ui/shared/api';
import { formulasReady } from '$lib/ui/shared/formulas';

/** Questions that a form could ask instead of those that it asks. */
export interface OtherQuestions {
  sets: KeptSets;
  tables: House;
}

/** Under which plan the server is asked. */
export type AskedUnder = { edition: number } | { draft: number };

/** Which questions a form asks: those under the values that stand in it, as their rows said when it was asked. */
export class Asking {
  sets = $state.raw<KeptSets>({});
  /** The questions as they are now, where they are others than those asked. */
  newer = $state.raw<OtherQuestions | null>(null);
  /** The rows that cannot be asked, as far as whoever looks designs the form. */
  faults = $state.raw<readonly QuestionFault[]>([]);
  readonly #sections: readonly Section[];
  #turn = 0;

  constructor(
    readonly plan: Plan,
    /** Where the server answers for the form. */
    readonly at: string,
    sets: KeptSets = {},
  ) {
    this.sets = sets;
    this.#sections = plan.sections.filter(asks);
  }

  /** The same for a plan that was changed: what is asked otherwise now is asked anew. */
  on(plan: Plan): Asking {
    const said = (sections: readonly Section[], own: string) =>
      JSON.stringify(sections.find(({ key }) => key === own)?.questions);
    const kept = plan.sections.filter(
      ({ key }) => said(this.#sections, key) === said(plan.sections, key),
    );
    const sets = kept.flatMap(({ key }) => {
      const set = this.sets[key];
      return set ? [[key, set] as const] : [];
    });
    return new Asking(plan, this.at, Object.fromEntries(sets));
  }

  /** Whether the form asks any. */
  get any(): boolean {
    return this.#sections.length > 0;
  }

  /** The plan with the questions as fields. */
  asked(): Plan {
    return askedPlan(this.plan, setsOf(this.sets));
  }

  hashes(): { asked?: AskedHashes } {
    return this.any ? { asked: hashesOf(this.sets) } : {};
  }

  /** The sections whose questions are not those under the values of the entry. */
  #stale(entry: Entry): readonly Section[] {
    return this.#sections.filter((section) => {
      const set = this.sets[section.key]?.set;
      const same = (key: string) => sameValue(entry.value(key), set?.given[key] ?? null);
      return !set || !askedBy(section).every(same);
    });
  }

  /** The questions under the values of the entry, where they are others; `null` where nothing is to be done. */
  async follow(entry: Entry, under: AskedUnder): Promise<OtherQuestions | null> {
    const stale = this.#stale(entry);
    if (stale.length === 0) return null;
    const others = { ...hashesOf(this.sets) };
    for (const { key } of stale) Reflect.deleteProperty(others, key);
    return this.#read(entry, under, others);
  }

  /** Goes on with the questions of a draft, as they were asked: what their formulas need is brought first. */
  async recall(sets: KeptSets): Promise<void> {
    await formulasReady(askedPlan(this.plan, setsOf(sets)), null);
    this.sets = sets;
  }

  /** The same questions once more, with the tables that they name; `null` where the server does not know them. */
  again(entry: Entry, under: AskedUnder): Promise<OtherQuestions | null> {
    return this.#read(entry, under, hashesOf(this.sets));
  }

  /** Looks whether the questions have changed since they were asked. */
  async look(entry: Entry, under: AskedUnder): Promise<void> {
    if (!this.any || this.#stale(entry).length > 0) return;
    const now = await this.#read(entry, under, {});
    if (!now) return;
    const [was, is] = [this.sets, now.sets].map((sets) => JSON.stringify(hashesOf(sets)));
    this.newer = was === is ? null : now;
  }

  async #read(entry: Entry, under: AskedUnder, asked: AskedHashes): Promise<OtherQuestions | null> {
    const turn = ++this.#turn;
    const values: Record<string, Value> = {};
    for (const key of this.#sections.flatMap(askedBy)) values[key] = entry.value(key);
    const body = { ...under, asked, values };
    const read = await call(questionsAnswer, `${this.at}/questions`, { body });
    // An answer that comes late belongs to values that stand there no more.
    if (!read.ok || turn !== this.#turn) return null;
    const { sets, sources, faults } = read.value;
    this.faults = Object.values(faults).flat();
    await formulasReady(askedPlan(this.plan, setsOf(sets)), null);
    return turn === this.#turn ? { sets, tables: tablesWith(sources) } : null;
  }
}
