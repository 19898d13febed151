import type { Value } from '../values/types';
import type { Entry } from './entry';

/** One record that a save would write. */
export interface PlannedWrite {
  action: 'insert';
  table: string;
  values: Record<string, Value>;
}

/** The records that saving the entry would write, in order: one of the target table. */
export function writePlan(entry: Entry): PlannedWrite[] {
  const { plan, fields } = entry.form;
  const values: Record<string, Value> = {};
  for (const [key, { field }] of fields) {
    if (field.savesTo !== null) values[field.savesTo] = entry.value(key);
  }
  return [{ action: 'insert', table: plan.table, values }];
}
