import { writePlanFile } from '$lib/core/formats/plan-file';
import { loadDraft } from '$lib/server/catalog/forms';
import { listRehearsals } from '$lib/server/catalog/rehearsals';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** The draft as a file. */
export const GET = answering(async ({ params }: RequestEvent) => {
  const db = await readyDatabase();
  const { form, plan } = await loadDraft(db, params.form);
  const kept = await listRehearsals(db, form.id);
  const rehearsals = kept.map(({ name, rehearsal }) => ({ name, rehearsal }));
  return new Response(writePlanFile(plan, rehearsals), {
    headers: {
      'content-type': 'application/json',
      'content-disposition': `attachment; filename="${form.key}.plan.json"`,
    },
  });
});
