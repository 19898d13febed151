import { isRecord, toText, type Feel } from '../formula/feel';
import { evaluate } from '../formula/formula';
import { addressFrom, placesIn } from '../outside/template';
import type { Scalar } from '../values/types';
import type { EntryFormula } from '../plan/formulas';
import type { Entry } from './entry';
import { RecordLink } from './facts';

/** What a save sends to an outside system. */
export interface PlannedSend {
  connection: string;
  method: 'POST' | 'PUT' | 'PATCH';
  /** Below the base of the connection, its values encoded. */
  address: string;
  body: Record<string, Scalar>;
}

/** What saving the entry would send, in order; the names that stand in the address are not in the body. */
export function sendPlan(entry: Entry): PlannedSend[] {
  return entry.form.sends.flatMap(({ connection, on, method, address, when, values }) => {
    if (on === 'new' && entry.root.stored !== null) return [];
    if (when && result(entry, when) !== true) return [];
    const given = Object.fromEntries(
      values.map(({ name, formula }) => [name, plain(result(entry, formula))]),
    );
    const placed = new Set(placesIn(address));
    const body = Object.fromEntries(Object.entries(given).filter(([name]) => !placed.has(name)));
    return [{ connection, method, address: addressFrom('', address, given), body }];
  });
}

function result(entry: Entry, formula: EntryFormula): Feel {
  const evaluated = evaluate(formula, entry.root, entry.clock);
  return 'problem' in evaluated ? null : evaluated.value;
}

/** A result as JSON carries it: numbers and dates exactly, as text; a record as its number. */
function plain(value: Feel): Scalar {
  if (value === null || typeof value === 'boolean') return value;
  if (value instanceof RecordLink) return value.id;
  return Array.isArray(value) || isRecord(value) ? null : toText(value);
}
