import { reachedBy } from '$lib/core/plan/reach';
import { sourcesOf } from '$lib/core/table/sources';
import { openForForm } from '$lib/server/records/open-form';
import { answering, carriedColumns } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** A form as a new entry begins it, with what the address carries along by column (`with.loan=5`). */
export const GET = answering(async ({ params, url, locals }: RequestEvent) => {
  const db = await readyDatabase();
  const carry = carriedColumns(url);
  const { plan, edition, carried, sets, asked } = await openForForm(
    db,
    params.form,
    { carry },
    await locals.house(),
  );
  const sources = sourcesOf(reachedBy(asked, (await locals.house()).whole));
  return { plan, edition, carried, sources, sets };
});
