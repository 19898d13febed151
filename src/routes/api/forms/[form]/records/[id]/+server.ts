import { z } from 'zod';
import { openForForm } from '$lib/server/records/open-form';
import { answering, parsed, recordId } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

const editionSchema = z.coerce.number().int().min(1).optional();

/** A stored record as a form opens it: its values by field, its rows, and their versions. */
export const GET = answering(async ({ params, url, locals }: RequestEvent) => {
  const edition = parsed(editionSchema, url.searchParams.get('edition') ?? undefined);
  const db = await readyDatabase();
  const held = await openForForm(
    db,
    params.form,
    {
      record: recordId(params.id, params.form),
      edition,
    },
    await locals.house(),
  );
  return { edition: held.edition, opened: held.opened, sets: held.sets };
});
