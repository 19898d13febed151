import { fail } from '$lib/core/problems';
import { loadEdition } from '$lib/server/catalog/forms';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

export const GET = answering(async ({ params }: RequestEvent) => {
  if (!/^[1-9]\d{0,8}$/.test(params.edition)) {
    fail('unknown_edition', { form: params.form, edition: params.edition }, 404);
  }
  const wanted = Number(params.edition);
  const { plan, edition } = await loadEdition(await readyDatabase(), params.form, wanted);
  return { edition, plan };
});
