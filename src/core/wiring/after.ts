import { messageParts, type EntryFormula } from '../plan/formulas';
import type { After, Plan } from '../plan/schema';
import type { ReadyFormulas } from './ready';

/** What follows a save, made ready. */
export interface WiredAfter extends Pick<After, 'next' | 'form' | 'address'> {
  message: readonly (string | EntryFormula)[];
  carry: readonly { name: string; formula: EntryFormula }[];
}

/** What follows a save; a formula that cannot be used stands as it is written, or is not carried. */
export function wireAfter({ after }: Plan, ready: ReadyFormulas): WiredAfter | null {
  if (!after) return null;
  const { next, form, address } = after;
  const message = messageParts(after.message).map((part) =>
    part.formula
      ? (ready.at({ at: 'after', part: 'message' }, part.text) ?? `{${part.text}}`)
      : part.text,
  );
  const carry = Object.entries(after.carry).flatMap(([name, source]) => {
    const formula = ready.at({ at: 'after', part: 'value', name }, source);
    return formula ? [{ name, formula }] : [];
  });
  return { next, form, address, message, carry };
}
