import type { Value } from '../values/types';

/** A value of a planned record: known, or the record that an earlier write makes. */
export type PlannedValue = Value | { madeBy: number };

/** Whether a planned value is the record that an earlier write makes. */
export function isMade(value: PlannedValue): value is { madeBy: number } {
  return typeof value === 'object' && value !== null && 'madeBy' in value;
}

/** One record that a save would write. */
export interface PlannedWrite {
  action: 'insert' | 'update' | 'delete';
  table: string;
  /** The record that is changed or deleted; `null` for a new one. */
  id: number | null;
  /** The version at which it must still be; `null` where the record is not part of the form. */
  version: number | null;
  /** All that is written of a new record, what is other than before of a changed one. */
  values: Record<string, PlannedValue>;
  /** Answers of a sheet that change with it, as rows of their own: before and after, by column. */
  answers?: Record<string, { before: Value; after: Value }>;
  /** Where its problems belong: `''` for the form, `lines[2]` for a row, `lines` for one taken out. */
  path: string;
}
