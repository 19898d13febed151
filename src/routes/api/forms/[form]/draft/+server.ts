import { draftRequest } from '$lib/core/contract/requests';
import { formHead, keepDraft, loadDraft } from '$lib/server/catalog/forms';
import { answering, readBody } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** The draft; nothing new (204) where it is still at the revision that is known. */
export const GET = answering(async ({ params, url }: RequestEvent) => {
  const db = await readyDatabase();
  const known = Number(url.searchParams.get('known'));
  if (known > 0 && (await formHead(db, params.form)).revision === known) {
    return new Response(null, { status: 204 });
  }
  return loadDraft(db, params.form);
});

export const PUT = answering(async ({ params, request, locals }: RequestEvent) => {
  const { revision, plan } = await readBody(request, draftRequest);
  return keepDraft(await readyDatabase(), params.form, revision, plan, locals.person.name);
});
