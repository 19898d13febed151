import { Readable } from 'node:stream';
import { z } from 'zod';
import { columnsShown, sortOf } from '$lib/core/table/view';
import { tableFrom } from '$lib/server/catalog/tables';
import { viewFrom } from '$lib/server/records/viewed';
import { mediaTypes, outFormats, takeOut } from '$lib/server/out/records';
import { answering, parsed } from '$lib/server/respond';
import type { RequestEvent } from './$types';

const formatSchema = z.enum(outFormats);
const referencesSchema = z.enum(['names', 'numbers']);

export const GET = answering(async ({ params, url, locals }: RequestEvent) => {
  const db = await locals.reads();
  const tables = await locals.house();
  const table = tableFrom(tables, params.table);
  const format = parsed(formatSchema, url.searchParams.get('format') ?? 'csv');
  const view = viewFrom(url, table);
  const stream = takeOut(db, tables, table, {
    format,
    references: parsed(referencesSchema, url.searchParams.get('references') ?? 'names'),
    columns: columnsShown(table.columns, view),
    ...{ filter: view.filter, sort: sortOf(view) },
    search: url.searchParams.get('search')?.slice(0, 200) ?? undefined,
  });
  return new Response(Readable.toWeb(stream) as ReadableStream, {
    headers: {
      'content-type': mediaTypes[format],
      'content-disposition': `attachment; filename="${table.key}.${format}"`,
      'cache-control': 'no-store',
    },
  });
});
