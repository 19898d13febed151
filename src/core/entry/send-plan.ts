import { isRecord, toText, type Feel } from '../formula/feel';
import { evaluate } from '../formula/formula';
import { addressFrom, placesIn } from '../outside/template';
import type { Scalar } from '../values/types';
import type { EntryFormula } from '../plan/formulas';
import type { SendMethod } from '../outside/sending';
import type { Entry } from './entry';
import type { Parsed } from '../values/parse';
import type { WiredButton, WiredStep } from '../wiring/buttons';
import type { WiredSend } from '../wiring/writes';
import { RecordLink } from './records';
import { Planning } from './planned';
import { canonicalOf } from './working-out';
import { problem } from '../problems';

/** What a save sends to an outside system. */
export interface PlannedSend {
  connection: string;
  method: SendMethod;
  /** Below the base of the connection, its values encoded; or a statement as it was written. */
  address: string;
  body: Record<string, Scalar>;
}

/** What saving the entry would send, in order; the names that stand in the address are not in the body. */
export function sendPlan(entry: Entry): PlannedSend[] {
  return plannedSends(new Planning(entry));
}

/** The same, with what does not fit noted by the planning. */
export function plannedSends(planning: Planning): PlannedSend[] {
  return planning.entry.form.sends
    .filter((send) => planning.isMeant(send))
    .map((send) => sendOf(planning, send));
}

/** Whether a button is there for an entry as it stands. */
export function isOffered(entry: Entry, { when }: WiredButton): boolean {
  return when === null || result(entry, when) === true;
}

/** What a button tells outside systems, in the order of its steps. */
export function buttonSends(planning: Planning, { steps }: WiredButton): PlannedSend[] {
  return steps.flatMap((step) => (step.do === 'tell' ? [sendOf(planning, step)] : []));
}

/** The value that a step gives its field, or why it is none. */
export function setValue(entry: Entry, step: Extract<WiredStep, { do: 'set' }>): Parsed | null {
  const wired = entry.form.fields.get(step.field);
  return wired ? canonicalOf(wired.type, result(entry, step.to), wired.field.label) : null;
}

/** The address of the form that a step opens, with what is carried along. */
export function openAddress(entry: Entry, step: Extract<WiredStep, { do: 'open' }>): string {
  const carried = step.carry.flatMap(({ name, formula }) => {
    const value = plain(result(entry, formula));
    return value == null ? [] : [`with.${name}=${encodeURIComponent(String(value))}`];
  });
  return `/forms/${step.form}${carried.length > 0 ? `?${carried.join('&')}` : ''}`;
}

/** The longest address that can be told, in characters; it goes into one column of the outbox. */
export const longestAddress = 1000;

function sendOf(
  planning: Planning,
  { connection, method, address, values }: Omit<WiredSend, 'on' | 'when'>,
): PlannedSend {
  const { root } = planning.entry;
  const given = Object.fromEntries(
    values.map(({ name, formula }) => {
      const found = plain(planning.result(root, '', formula));
      if (found !== undefined) return [name, found];
      planning.note(root, '', formula, problem('not_told', { name }));
      return [name, null];
    }),
  );
  // The values of a statement are bound, when it is run.
  if (method === 'SQL') return { connection, method, address, body: given };
  const placed = new Set(placesIn(address));
  const body = Object.fromEntries(Object.entries(given).filter(([name]) => !placed.has(name)));
  const whole = addressFrom('', address, given);
  const first = values.find(({ name }) => placed.has(name));
  if (whole.length > longestAddress && first) {
    const details = { length: whole.length, limit: longestAddress };
    planning.note(root, '', first.formula, problem('address_too_long', details));
  }
  return { connection, method, address: whole, body };
}

function result(entry: Entry, formula: EntryFormula): Feel {
  const evaluated = evaluate(formula, entry.root, entry.clock);
  return 'problem' in evaluated ? null : evaluated.value;
}

/** A result as JSON carries it: numbers and dates exactly, as text; a record as its number; `undefined` for what has parts. */
function plain(value: Feel): Scalar | undefined {
  if (value === null || typeof value === 'boolean') return value;
  if (value instanceof RecordLink) return value.id;
  return Array.isArray(value) || isRecord(value) ? undefined : toText(value);
}
