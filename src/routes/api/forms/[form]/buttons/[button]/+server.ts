import { factsFor } from '$lib/server/access/house';
import { askerAt } from '$lib/server/access/let-in';
import { loadEdition } from '$lib/server/catalog/forms';
import { pressButton, pressSchema } from '$lib/server/records/press-button';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const press = await readBody(request, pressSchema);
  const db = await readyDatabase();
  const { form, button } = params;
  const { name } = locals.person;
  const house = await locals.house();
  const { plan } = await loadEdition(db, form, press.edition);
  const person = await factsFor(db, house.whole, plan, askerAt({ locals }).person);
  return { noted: await pressButton(db, house, form, button, press, name, person) };
});
