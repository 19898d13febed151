import type { Cell } from '$lib/core/entry/host-state';
import type { Woken } from '$lib/core/entry/life';

/** A number that changes with what it stands for; reading it makes the reader follow. */
class Signal {
  at = $state(0);
}

/**
 * What the screen follows of an entry, piece by piece: a change wakes the cells that it touches, the rows where
 * some come, go or move, and whoever reads the whole of it.
 */
export class CellSignals {
  // Nothing on the screen follows which cells are followed.
  readonly #cells = new WeakMap<Readonly<Cell>, Signal>();
  #all = $state(0);
  #rows = $state(0);
  #any = $state(0);

  /** Makes the reader follow a cell. */
  follow(cell: Readonly<Cell>): void {
    void this.#all;
    let signal = this.#cells.get(cell);
    if (!signal) {
      signal = new Signal();
      this.#cells.set(cell, signal);
    }
    void signal.at;
  }

  /** Makes the reader follow which rows there are, where they stand, and which grids are there. */
  followRows(): void {
    void this.#rows;
  }

  /** Makes the reader follow every change; gives a number that changes with each. */
  followAny(): number {
    return this.#any;
  }

  wake({ cells, rows }: Woken): void {
    for (const cell of cells) {
      const signal = this.#cells.get(cell);
      if (signal) signal.at++;
    }
    if (rows) this.#rows++;
    this.#any++;
  }

  wakeAll(): void {
    this.#all++;
    this.#rows++;
    this.#any++;
  }
}
