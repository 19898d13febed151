import { json } from '@sveltejs/kit';
import { undoSave } from '$lib/server/records/history';
import { askerAt } from '$lib/server/access/let-in';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** Undoes a whole save, where nothing of it has been changed since. */
export const POST = answering(async ({ params, locals }: RequestEvent) => {
  const db = await readyDatabase();
  const tables = await locals.house();
  const receipt = await undoSave(db, tables, params.save, locals.person.name, (table, deed) =>
    askerAt({ locals }).rights.table(table, deed),
  );
  return json({ receipt }, { status: 201 });
});
