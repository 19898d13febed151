import { readAnswer } from '$lib/core/contract/answers';
import { mostAsks, type Answer, type Ask, type StandingAsk } from '$lib/core/entry/asks';
import type { Entry } from '$lib/core/entry/entry';
import type { AskedHashes } from '$lib/core/plan/asked-sheet';
import { problem, type Problem } from '$lib/core/problems';
import { readsOutsideAt } from '$lib/core/wiring/wired';
import { call, callLines } from '$lib/ui/shared/api';

/**
 * Which plan the server is to read under: an edition, or the designer's draft at a revision; one that it does not
 * hold yet is waited for. `null` where it never will, since another one has taken its place.
 */
export type PlanSource =
  | { edition: number; asked?: AskedHashes }
  | { draft: () => Promise<number | null>; asked?: AskedHashes };

const firstPause = 500;
const longestPause = 8000;

/**
 * Sends to the server what an entry asks, and gives it the answers. While the server is away it tries again with
 * growing pauses.
 */
export class ServerReads {
  readonly #address: string;
  readonly #source: PlanSource;
  readonly #entry: Entry;
  readonly #onanswers: () => void;
  // Nothing on the screen follows it.
  // eslint-disable-next-line svelte/prefer-svelte-reactivity
  readonly #inFlight = new Set<string>();
  #pause = firstPause;
  #closed = false;
  /** Whether the server, or its database, does not answer. */
  away = $state(false);
  /** Whether whoever fills the form is a guest: the server answers them under the whole of the entry only. */
  guest = false;

  /** `onanswers` is told when the entry has taken answers. */
  constructor(address: string, source: PlanSource, entry: Entry, onanswers: () => void) {
    this.#address = address;
    this.#source = source;
    this.#entry = entry;
    this.#onanswers = onanswers;
  }

  /**
   * Sends what the entry asks and is not on its way yet. Call it once when the entry is shown. What
   * systems outside have to answer is taken answer by answer: a slow one keeps nothing else waiting.
   */
  async pump(): Promise<void> {
    const asks = this.#entry.asks().filter((ask) => !this.#inFlight.has(ask.id));
    const outside = asks.filter((ask) => readsOutsideAt(this.#entry.form.scopes, ask));
    void this.#send(outside, 'one by one');
    const here = asks.filter((ask) => !outside.includes(ask));
    for (let from = 0; from < here.length; from += mostAsks) {
      await this.#send(here.slice(from, from + mostAsks));
    }
  }

  /** Asks one thing as things are now, whatever the entry asks; given up with the signal. */
  async once(ask: Ask, signal?: AbortSignal): Promise<Answer | Problem | null> {
    const source = await this.#heldPlan();
    if (!source) return problem('unreachable');
    const body = { ...source, ...(this.guest ? this.#entry.state() : {}), asks: [ask] };
    const read = await call(readAnswer, this.#address, { body, signal });
    if (!read.ok) return read.problems[0] ?? problem('unreachable');
    return read.value.answers.find((candidate) => candidate.id === ask.id) ?? null;
  }

  /** Waits until nothing is asked any more, or the server is away. */
  async settled(): Promise<void> {
    while (this.#entry.asks().length > 0 && !this.away && !this.#closed) {
      await new Promise((resolve) => setTimeout(resolve, 15));
    }
  }

  /** Late answers are ignored from now on. */
  close(): void {
    this.#closed = true;
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
      this.#pause = firstPause;
      this.away = false;
      this.#entry.answer(answers);
      this.#onanswers();
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

  /** The plan of the form as the server names it, as soon as it holds it. */
  async #heldPlan(): Promise<({ edition: number } | { draft: number }) | null> {
    const source = this.#source;
    if ('edition' in source) return source;
    const { asked } = source;
    const draft = await source.draft();
    return draft === null ? null : { draft, ...(asked ? { asked } : {}) };
  }
}
