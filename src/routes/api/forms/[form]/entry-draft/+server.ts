import { formHead } from '$lib/server/catalog/forms';
import {
  dropEntryDraft,
  entryDraftSchema,
  keepEntryDraft,
  readEntryDraft,
} from '$lib/server/records/entry-drafts';
import { askerAt } from '$lib/server/access/let-in';
import { answering, carriedText, readBody, recordId } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** The draft that the address names: of the form, or of a record in it, by the signed-in person. */
async function addressed({ params, url, locals }: RequestEvent) {
  const db = await readyDatabase();
  const { key, table } = await formHead(db, params.form);
  const named = url.searchParams.get('record');
  const record = named === null ? null : recordId(named, table);
  const carried = record === null ? carriedText(url) : '';
  return { db, place: { person: askerAt({ locals }).person.name, form: key, record, carried } };
}

export const GET = answering(async (event: RequestEvent) => {
  const { db, place } = await addressed(event);
  return { draft: await readEntryDraft(db, place) };
});

export const PUT = answering(async (event: RequestEvent) => {
  const draft = await readBody(event.request, entryDraftSchema);
  const { db, place } = await addressed(event);
  return { keptAt: await keepEntryDraft(db, place, draft) };
});

export const DELETE = answering(async (event: RequestEvent) => {
  const { db, place } = await addressed(event);
  await dropEntryDraft(db, place);
  return new Response(null, { status: 204 });
});
