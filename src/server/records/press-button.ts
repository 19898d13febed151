import type { z } from 'zod';
import { Planning } from '$lib/core/entry/planned';
import { buttonSends, isOffered } from '$lib/core/entry/send-plan';
import type { PersonFacts } from '$lib/core/entry/person';
import { fail, ProblemError } from '$lib/core/problems';
import type { House } from '$lib/core/table/definition';
import { loadEdition } from '../catalog/forms';
import type { Database } from '../database/connection';
import { inTransaction } from '../database/transaction';
import { duplicateIndex } from '../database/errors';
import { askedForm } from './questions';
import { knownForm } from './wired';
import { entrySchema, filledAsNew, workedOut } from './save';
import { noteSends } from '../outside/outbox';

/** What a screen sends when a button tells outside systems something. */
export const pressSchema = entrySchema.omit({ record: true });
type Press = z.input<typeof pressSchema>;

/**
 * Notes what a button tells outside systems, worked out anew from the entry; it is delivered by the outbox.
 * Fails with the entry's problems. Gives how much was noted; a repeated press notes nothing more.
 */
export async function pressButton(
  db: Database,
  tables: House,
  formKey: string,
  buttonKey: string,
  request: Press,
  by: string,
  person: PersonFacts = { name: by },
): Promise<number> {
  const { submission, edition, link } = request;
  const held = await loadEdition(db, formKey, edition);
  const { plan } = await askedForm(db, tables, held.plan, request);
  const form = knownForm(plan, tables);
  const filled = filledAsNew(form, request);
  const entry = await workedOut(db, tables, form, filled, person, undefined, link);
  const button = form.buttons.find(({ key }) => key === buttonKey);
  if (!button || !isOffered(entry, button))
    return fail('unknown_button', { button: buttonKey }, 404);
  const planning = new Planning(entry);
  const sends = buttonSends(planning, button);
  const problems = [...entry.problems(), ...planning.problems];
  if (problems.length > 0) throw new ProblemError(problems);
  try {
    await inTransaction(db, (trx) => noteSends(db, trx, sends, { submission, form: formKey, by }));
  } catch (error) {
    if (duplicateIndex(error) === null) throw error;
  }
  return sends.length;
}
