import { z } from 'zod';
import { findRecords } from '$lib/server/records/find';
import { answering, parsed, whileThere } from '$lib/server/respond';
import type { RequestEvent } from './$types';

const textSchema = z.string().trim().min(2).max(200);

/** The records of all tables that a text finds: `?search=`, two letters at least. */
export const GET = answering(async (event: RequestEvent) => {
  const { url, locals } = event;
  const text = parsed(textSchema, url.searchParams.get('search') ?? '');
  const db = await locals.reads();
  const tables = await locals.house();
  return whileThere(event, async () => {
    const records = await findRecords(db, tables, text);
    return {
      records: records.map((found) => ({ ...found, title: tables.get(found.table)?.title ?? '' })),
    };
  });
});
