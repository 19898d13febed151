import { json } from '@sveltejs/kit';
import { knownEdition } from '$lib/server/catalog/forms';
import { entrySchema, saveEntry } from '$lib/server/records/save';
import { factsFor } from '$lib/server/access/house';
import { askerAt, requireForm } from '$lib/server/access/let-in';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const entry = await readBody(request, entrySchema);
  const db = await readyDatabase();
  // Who may fill in, and who may open stored records, need not be the same.
  requireForm(locals, params.form, entry.record ? 'open' : 'fill');
  const house = await locals.house();
  const { plan } = await knownEdition(db, house.whole, params.form, entry.edition);
  const person = await factsFor(db, house.whole, plan, askerAt({ locals }).person);
  const more = { house, person };
  const receipt = await saveEntry(db, params.form, entry, locals.person.name, more);
  return json({ receipt }, { status: 201 });
});
