import { reachedBy } from '$lib/core/plan/reach';
import { sourcesOf } from '$lib/core/table/sources';
import { loadTables } from '$lib/server/catalog/tables';
import { openForForm } from '$lib/server/records/open-form';
import { answering, carriedColumns } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** A form as a new entry begins it, with what the address carries along by column (`with.loan=5`). */
export const GET = answering(async ({ params, url }: RequestEvent) => {
  const db = await readyDatabase();
  const carry = carriedColumns(url);
  const { plan, edition, carried } = await openForForm(db, params.form, { carry });
  const sources = sourcesOf(reachedBy(plan, await loadTables(db)));
  return { plan, edition, carried, sources };
});
