import { json } from '@sveltejs/kit';
import { importSchema, openImport } from '$lib/server/records/import';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';

export const POST = answering(async ({ request, locals }) => {
  const definition = await readBody(request, importSchema);
  const id = await openImport(await readyDatabase(), definition, locals.person.name);
  return json({ id }, { status: 201 });
});
