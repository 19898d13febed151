import { z } from 'zod';
import { keySchema } from '$lib/core/values/key';
import { impactOf } from '$lib/server/catalog/usage';
import { answering, parsed } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

const wishSchema = z.strictObject({
  column: keySchema.optional(),
  option: z.string().max(100).optional(),
});

/** Which forms use the table, or one of its columns or options, and where. */
export const GET = answering(async ({ params, url }: RequestEvent) =>
  impactOf(await readyDatabase(), {
    table: params.table,
    ...parsed(wishSchema, Object.fromEntries(url.searchParams)),
  }),
);
