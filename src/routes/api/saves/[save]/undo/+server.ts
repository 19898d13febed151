import { json } from '@sveltejs/kit';
import { loadTables } from '$lib/server/catalog/tables';
import { undoSave } from '$lib/server/records/history';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** Undoes a whole save, where nothing of it has been changed since. */
export const POST = answering(async ({ params, locals }: RequestEvent) => {
  const db = await readyDatabase();
  const tables = await loadTables(db);
  const receipt = await undoSave(db, tables, params.save, locals.person.name);
  return json({ receipt }, { status: 201 });
});
