import { SvelteSet } from 'svelte/reactivity';
import { planSave } from '$lib/core/entry/all-problems';
import type { Row } from '$lib/core/entry/entry';
import { cellProblems } from '$lib/core/entry/entry-problems';
import type { Problem, ProblemCode } from '$lib/core/problems';
import { readsOutside } from '$lib/core/wiring/wired';
import type { SeenEntry } from './seen-entry';

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

/** What is wrong with an entry on the screen, and which of it is said yet. */
export class SessionProblems {
  readonly #seen: SeenEntry;
  /** Problems told by the server, by path; each goes when its field changes. */
  told = $state.raw<Problem[]>([]);
  /** Whether problems are shown at fields that were not touched. */
  showsAll = $state(false);
  readonly touched = new SvelteSet<string>();

  /** All problems of the entry, worked out once for each change of it, not for each field. */
  readonly all: readonly Problem[];
  /** The first problem of each field. */
  readonly #byPath: ReadonlyMap<string, Problem>;
  /** A new form that nobody has touched has nothing wrong with it yet. */
  readonly #begun: boolean;

  constructor(seen: SeenEntry) {
    this.#seen = seen;
    this.all = $derived(
      // What is written besides is looked through once somebody has tried to save.
      this.showsAll ? planSave(seen.entry).problems : seen.entry.problems(),
    );
    this.#byPath = $derived(
      // Made anew with each change, never changed.
      // eslint-disable-next-line svelte/prefer-svelte-reactivity
      new Map([...this.all].reverse().map((found) => [found.path, found])),
    );
    this.#begun = $derived(seen.edits > 0 || this.touched.size > 0 || seen.root.based);
  }

  /** The problem to be shown at a field, if any. */
  at(key: string, row?: Row): Problem | null {
    const path = this.#seen.path(key, row);
    const told = this.told.find((p) => p.path === path);
    if (told) return told;
    if (this.showsAll) return this.#byPath.get(path) ?? null;
    const [found] = cellProblems(this.#seen.cell(key, row));
    if (!found || !this.#begun) return null;
    if (saidAtOnce.has(found.code)) return found;
    // A cell of a grid shows no problem while it is being edited: it is an input then.
    if (found.code === 'required') return null;
    return row || this.touched.has(path) ? found : null;
  }

  /** Whether anything is to be mended in a row, or in the rows that stand in it. */
  isIn(row: Row): boolean {
    const prefix = this.#seen.path('', row);
    const told = [...this.told, ...(this.showsAll ? this.all : [])];
    if (told.some(({ path }) => path.startsWith(prefix))) return true;
    return this.#seen
      .gridsWithin(row.scope.key)
      .some(({ key }) => this.#seen.rows(key, row).some((inner) => this.isIn(inner)));
  }

  /** All problems that are shown: what the server told, and what stands in the form. */
  shown(): Problem[] {
    const own = this.showsAll ? this.all : [];
    return [...this.told, ...own.filter((p) => !this.told.some((other) => other.path === p.path))];
  }

  /** What a system outside said instead of an answer. */
  outside(key: string, row?: Row): Problem | null {
    const { wired, questions, choices } = this.#seen.cell(key, row);
    if (!readsOutside(wired)) return null;
    if (choices.status === 'failed') return choices.problem;
    return questions.get('value')?.failed ?? questions.get('record')?.failed ?? null;
  }

  /** Goes on as another session did, of the same form. */
  goOnFrom({ showsAll, touched }: SessionProblems): void {
    this.showsAll = showsAll;
    for (const path of touched) this.touched.add(path);
  }

  /** Forgets what the server said of what has changed since: a path, or all that are of a kind. */
  forget(path: string | RegExp): void {
    const gone = (at: string) => (typeof path === 'string' ? at === path : path.test(at));
    if (this.told.some((p) => gone(p.path))) this.told = this.told.filter((p) => !gone(p.path));
  }
}
