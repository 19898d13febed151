import { writePlanFile } from '$lib/core/formats/plan-file';
import { loadDraft } from '$lib/server/catalog/forms';
import { namedRehearsals } from '$lib/server/catalog/rehearsals';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** The draft as a file. */
export const GET = answering(async ({ params }: RequestEvent) => {
  const db = await readyDatabase();
  const { form, plan } = await loadDraft(db, params.form);
  return new Response(writePlanFile(plan, await namedRehearsals(db, form.id)), {
    headers: {
      'content-type': 'application/json',
      'content-disposition': `attachment; filename="${form.key}.plan.json"`,
    },
  });
});
