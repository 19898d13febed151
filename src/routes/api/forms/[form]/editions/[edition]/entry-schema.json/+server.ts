import { entrySchemaOf } from '$lib/core/formats/openapi';
import { fail } from '$lib/core/problems';
import { loadEdition } from '$lib/server/catalog/forms';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** The JSON Schema of what an edition of a form takes. */
export const GET = answering(async ({ params, locals }: RequestEvent) => {
  if (!/^[1-9]\d{0,8}$/.test(params.edition)) {
    fail('unknown_edition', { form: params.form, edition: params.edition }, 404);
  }
  const db = await readyDatabase();
  const { plan, edition } = await loadEdition(db, params.form, Number(params.edition));
  // A form shows its own columns whole, whoever fills it in.
  const { whole } = await locals.house();
  return entrySchemaOf({ key: params.form, edition, plan }, whole);
});
