import type { CompareSign } from '../values/compare-sign';
import type { Value, ValueType } from '../values/types';

/** A column reached from a record through references, or a value. */
export type Operand =
  | { is: 'column'; path: readonly string[]; type: ValueType }
  | { is: 'value'; value: Value }
  /** Something of the person, as `ensemble.town.region`. */
  | { is: 'person'; path: string };

/** Which records are meant, as data that becomes SQL. What compares with nothing holds for none. */
export type RecordCondition =
  | { is: 'all' | 'any'; of: readonly RecordCondition[] }
  | { is: 'compare'; sign: CompareSign; left: Operand; right: Operand }
  | { is: 'empty'; of: Operand; yes: boolean };

/** Holds for no record. */
export const never: RecordCondition = { is: 'any', of: [] };

/** What a person sees of a table. */
export interface TableSight {
  /** Which records; all where it is `null`. The person's values stand in it already. */
  when: RecordCondition | null;
  hidden: ReadonlySet<string>;
  /** Columns that are seen, but not typed into. */
  shut: ReadonlySet<string>;
}

/** What a person sees, by table; a table that is not in it is not seen. */
export type Sight = ReadonlyMap<string, TableSight>;
