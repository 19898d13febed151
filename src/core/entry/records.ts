import { toFeel } from '../formula/convert';
import type { Feel, FeelRecord } from '../formula/feel';
import type { Value } from '../values/types';
import type { WiredField } from '../wiring/wired';
import type { StoredRecord } from './stored';

/** The columns read of a chosen record; `values` is `null` where the record is gone. */
export interface ReadColumns {
  record: Value;
  values: Readonly<Record<string, Value>> | null;
}

/** The cell that has chosen a record. */
export interface Choosing {
  readonly wired: WiredField;
  readonly value: Value;
  readonly columns: ReadColumns;
  /** Has the columns of the record read. */
  miss: () => void;
}

/** The form itself or a row, as far as it is saved to a record. */
export interface Saving {
  readonly key: string;
  readonly stored: StoredRecord | null;
}

/** A record that is only named, so that it can be compared with another. */
export class RecordLink implements FeelRecord {
  constructor(
    readonly table: string,
    readonly id: number,
  ) {}

  get identity(): string {
    return `${this.table}#${this.id}`;
  }

  members(): string[] {
    return [];
  }

  member(_key: string): Feel {
    return null;
  }
}

/** The record that the form, or one of its rows, is saved to; without an id as long as it is not. */
export class SavedRecord extends RecordLink {
  constructor(
    table: string,
    readonly host: Saving,
  ) {
    super(table, host.stored?.id ?? 0);
  }

  override get identity(): string {
    return this.host.stored ? super.identity : `${this.table}:${this.host.key}`;
  }
}

/** A record that a field has chosen, or one that is reached from it through references. */
export class RecordRef extends RecordLink {
  constructor(
    readonly cell: Choosing,
    /** The references followed from the chosen record: `town.region.`. */
    readonly prefix: string,
    table: string,
    id: number,
  ) {
    super(table, id);
  }

  /** A column of the record; absent, and the formula unsure, while it is not known. */
  override member(key: string): Feel {
    const path = this.prefix + key;
    const { cell } = this;
    const type = cell.wired.columns.get(path);
    if (!type) return null;
    if (cell.columns.record !== cell.value) {
      cell.miss();
      return null;
    }
    const value = cell.columns.values?.[path] ?? null;
    if (value === null) return null;
    if (type.kind === 'reference') {
      return new RecordRef(cell, `${path}.`, type.table, value as number);
    }
    return toFeel(type, value);
  }
}
