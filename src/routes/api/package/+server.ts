import { Readable } from 'node:stream';
import { fail } from '$lib/core/problems';
import { askerAt } from '$lib/server/access/let-in';
import { tableFrom } from '$lib/server/catalog/tables';
import { writePackage } from '$lib/server/out/package';
import { takePackageIn } from '$lib/server/out/take-in';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** All that whoever asks sees, or some tables (`tables=a,b`) with those to which they refer, as a zip. */
export const GET = answering(async ({ url, locals }: RequestEvent) => {
  const db = await readyDatabase();
  const house = await locals.house();
  const named = url.searchParams.get('tables')?.split(',').slice(0, 1000);
  for (const key of named ?? []) tableFrom(house, key);
  const whole = askerAt({ locals }).rights.keeps;
  const stream = await writePackage(db, house, { tables: named, whole });
  return new Response(Readable.toWeb(stream) as ReadableStream, {
    headers: {
      'content-type': 'application/zip',
      'content-disposition': 'attachment; filename="unisor.zip"',
      'cache-control': 'no-store',
    },
  });
});

/** Brings a package in; with `drafts=1` forms for its tables are drafted, where it has none. */
export const POST = answering(async ({ request, url, locals }: RequestEvent) => {
  if (!request.body) return fail('file_empty', {}, 422, 'file');
  const { rights } = askerAt({ locals });
  if (!rights.place('forms') || !rights.place('lists')) fail('not_allowed', {}, 403);
  const db = await readyDatabase();
  const drafts = url.searchParams.get('drafts') === '1';
  return takePackageIn(db, request.body, {
    drafts,
    by: locals.person.name,
    outside: rights.place('outside'),
  });
});
