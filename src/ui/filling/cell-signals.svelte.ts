import { SvelteMap } from 'svelte/reactivity';
import type { Cell } from '$lib/core/entry/host-state';
import type { Woken } from '$lib/core/entry/life';

/**
 * What the screen follows of an entry, piece by piece: a change wakes the cells that it touches, the rows where
 * some come, go or move, and whoever reads the whole of it.
 */
export class CellSignals {
  /** When each cell was woken last, counted up. A cell of a row that came later is followed by its absence. */
  readonly #cells: SvelteMap<Readonly<Cell>, number>;
  #woken = 0;
  #all = $state(0);
  #rows = $state(0);
  #any = $state(0);

  constructor(cells: Iterable<Readonly<Cell>>) {
    this.#cells = new SvelteMap([...cells].map((cell) => [cell, 0]));
  }

  /** Makes the reader follow a cell. */
  follow(cell: Readonly<Cell>): void {
    void this.#all;
    this.#cells.get(cell);
  }

  /** Makes the reader follow which rows there are, where they stand, and which grids are there. */
  followRows(): void {
    void this.#rows;
  }

  /** Makes the reader follow every change. */
  followAny(): void {
    void this.#any;
  }

  wake({ cells, rows }: Woken): void {
    for (const cell of cells) this.#cells.set(cell, ++this.#woken);
    if (rows) this.#rows++;
    this.#any++;
  }

  wakeAll(): void {
    this.#all++;
    this.#rows++;
    this.#any++;
  }
}
