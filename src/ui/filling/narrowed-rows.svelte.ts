import { SvelteSet } from 'svelte/reactivity';
import type { Row } from '$lib/core/entry/entry';

/** The lines of a grid that are looked at alone, with those that have come since. */
export class NarrowedRows {
  #to = $state.raw<{ label: string; shown: ReadonlySet<Row>; known: ReadonlySet<Row> } | null>(
    null,
  );

  /** What the lines have in common that are looked at; `null` while all are. */
  get label(): string | null {
    return this.#to?.label ?? null;
  }

  /** Looks at some of the lines alone. */
  to(label: string, shown: readonly Row[], all: readonly Row[]): void {
    this.#to = { label, shown: new SvelteSet(shown), known: new SvelteSet(all) };
  }

  clear(): void {
    this.#to = null;
  }

  /** The lines that stay in sight. */
  of(rows: readonly Row[]): readonly Row[] {
    const to = this.#to;
    return to ? rows.filter((row) => to.shown.has(row) || !to.known.has(row)) : rows;
  }
}
