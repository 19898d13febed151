import { SvelteMap } from 'svelte/reactivity';
import type { RecordRow } from '$lib/core/contract/answers';

/** The records of a table that are chosen to be changed or removed together, over pages. */
export class ChosenRecords {
  readonly #records = new SvelteMap<number, RecordRow>();

  get count(): number {
    return this.#records.size;
  }

  get all(): RecordRow[] {
    return [...this.#records.values()];
  }

  has(id: number): boolean {
    return this.#records.has(id);
  }

  /** Chooses records; lets them go where all of them are chosen already. */
  toggle(records: readonly RecordRow[]): void {
    const drops = records.every(({ id }) => this.#records.has(id));
    for (const record of records) {
      if (drops) this.#records.delete(record.id);
      else this.#records.set(record.id, record);
    }
  }

  /** Takes records as they have been read since. */
  renew(records: readonly RecordRow[]): void {
    for (const record of records) {
      const known = this.#records.get(record.id);
      if (known && known.version !== record.version) this.#records.set(record.id, record);
    }
  }

  clear(): void {
    this.#records.clear();
  }
}
