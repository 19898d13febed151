import { json } from '@sveltejs/kit';
import { entrySchema, saveEntry } from '$lib/server/records/save';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const POST = answering(async ({ params, request, locals }: RequestEvent) => {
  const entry = await readBody(request, entrySchema);
  const db = await readyDatabase();
  const receipt = await saveEntry(db, params.form, entry, locals.person.name);
  return json({ receipt }, { status: 201 });
});
