import { SvelteMap } from 'svelte/reactivity';
import { z } from 'zod';

const widthsSchema = z.record(z.string(), z.number().int().min(48).max(1200));

/** The widths of a grid's columns as somebody has pulled them, in pixels; kept in this browser. */
export class KeptWidths {
  readonly #name: string;
  readonly #widths = new SvelteMap<string, number>();

  /** @param name - what the widths are of: a table and a grid of one of its forms */
  constructor(name: string) {
    this.#name = `unisor widths ${name}`;
  }

  /** Reads what was kept; what cannot be read is as if it was not there. */
  read(): void {
    try {
      const kept = widthsSchema.safeParse(JSON.parse(localStorage.getItem(this.#name) ?? '{}'));
      for (const [field, width] of Object.entries(kept.data ?? {})) this.#widths.set(field, width);
    } catch {
      // A browser that keeps nothing, or something else under this name.
    }
  }

  of(field: string): number | null {
    return this.#widths.get(field) ?? null;
  }

  set(field: string, width: number): void {
    this.#widths.set(field, width);
    try {
      localStorage.setItem(this.#name, JSON.stringify(Object.fromEntries(this.#widths)));
    } catch {
      // Full, or not allowed: the width holds until the page is left.
    }
  }
}
