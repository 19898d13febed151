import type { WarningCode } from '../formula/frame';
import type { Value } from '../values/types';

/** Something that happened in an entry, and why. */
export interface TraceEvent {
  kind:
    | 'set'
    | 'offered'
    | 'empty'
    | 'waits'
    | 'cleared'
    | 'taken'
    | 'failed'
    | 'brought'
    | 'computed'
    | 'totalled'
    | 'begins'
    | 'shown'
    | 'hidden'
    | 'named'
    | 'not named'
    | 'refused'
    | 'holds'
    | 'warned'
    | 'row added'
    | 'row removed';
  /** The field; with its grid before it (`lines.fee`) where it stands in a row. */
  field: string;
  /** The row's key. */
  row: string | null;
  /** The field whose change led to it; `null` where a person did it, or where the entry began so. */
  cause: string | null;
  /** The value after it, and before it. */
  value: Value;
  before?: Value;
  /** The column that was brought. */
  path?: string;
  /** Rows found, for offered. */
  found?: number;
  /** Milliseconds of the read. */
  took?: number;
  /** What a check said. */
  message?: string;
  warning?: WarningCode;
}

/** At least so many of the latest events are remembered, and at most twice as many. */
export const longestTrace = 500;
