import type { Feel } from '../formula/feel';
import { evaluate } from '../formula/formula';
import type { EntryFormula } from '../plan/formulas';
import type { Value } from '../values/types';
import type { WiredScope } from '../wiring/form';
import type { Entry, Row } from './entry';
import { canonicalOf } from './working-out';

/** A value of a planned record: known, or the record that an earlier write makes. */
export type PlannedValue = Value | { madeBy: number };

/** Whether a planned value is the record that an earlier write makes. */
export function isMade(value: PlannedValue): value is { madeBy: number } {
  return typeof value === 'object' && value !== null && 'madeBy' in value;
}

/** One record that a save would write. */
export interface PlannedWrite {
  action: 'insert';
  table: string;
  values: Record<string, PlannedValue>;
  /** Where its problems belong: `''` for the form, `lines[2]` for a row. */
  path: string;
}

/**
 * The records that saving the entry would write, in order: one of the target table, the rows of its
 * grids with the link to it, then what the plan writes besides.
 */
export function writePlan(entry: Entry): PlannedWrite[] {
  const { plan, scopes } = entry.form;
  const root = scopes.get('');
  if (!root) return [];
  const writes: PlannedWrite[] = [
    { action: 'insert', table: plan.table, values: saved(entry, root), path: '' },
  ];
  for (const scope of scopes.values()) {
    if (scope.link === null) continue;
    entry.rows(scope.key).forEach((row, i) => {
      const values = { ...saved(entry, scope, row), [scope.link ?? '']: { madeBy: 0 } };
      const path = `${scope.key}[${i}]`;
      writes.push({ action: 'insert', table: scope.table, values, path });
    });
  }
  return [...writes, ...extraWrites(entry)];
}

function saved(entry: Entry, scope: WiredScope, row?: Row): Record<string, Value> {
  const values: Record<string, Value> = {};
  for (const { field } of scope.list) {
    if (field.savesTo !== null) values[field.savesTo] = entry.value(field.key, row);
  }
  return values;
}

function extraWrites(entry: Entry): PlannedWrite[] {
  return entry.form.writes.flatMap(({ table, scope, when, values }) =>
    (scope === '' ? [entry.root] : entry.rows(scope)).flatMap((host, i) => {
      if (when && result(entry, host, when) !== true) return [];
      const written = values.map(({ column, formula }) => {
        const made = canonicalOf(column.type, result(entry, host, formula), column.label);
        return [column.key, 'value' in made ? made.value : null] as const;
      });
      const path = scope === '' ? '' : `${scope}[${i}]`;
      return [{ action: 'insert' as const, table, values: Object.fromEntries(written), path }];
    }),
  );
}

function result(entry: Entry, host: Row, formula: EntryFormula): Feel {
  const evaluated = evaluate(formula, host, entry.clock);
  return 'problem' in evaluated ? null : evaluated.value;
}
