import { toFeel } from '../formula/convert';
import type { Feel, FeelRecord } from '../formula/feel';
import type { Cell } from './cell';

/** A record that a field has chosen, or one that is reached from it through references. */
export class RecordRef implements FeelRecord {
  constructor(
    readonly cell: Cell,
    /** The references followed from the chosen record: `town.region.`. */
    readonly prefix: string,
    readonly table: string,
    readonly id: number,
  ) {}

  get identity(): string {
    return `${this.table}#${this.id}`;
  }

  members(): string[] {
    return [];
  }

  /** A column of the record; absent, and the formula unsure, while it is not known. */
  member(key: string): Feel {
    const path = this.prefix + key;
    const { cell } = this;
    const type = cell.wired.facts.get(path);
    if (!type) return null;
    if (cell.facts.record !== cell.value) {
      cell.host.life.miss(cell);
      return null;
    }
    const value = cell.facts.values?.[path] ?? null;
    if (value === null) return null;
    if (type.kind === 'reference') {
      return new RecordRef(cell, `${path}.`, type.table, value as number);
    }
    return toFeel(type, value);
  }
}
