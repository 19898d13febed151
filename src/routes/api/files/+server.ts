import { handIn, mostWaiting } from '$lib/server/files/hand-in';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** Begins to hand in a file. */
export const POST = answering(async ({ request, locals }: RequestEvent) =>
  handIn(await readyDatabase(), request, {
    ...{ by: locals.person.name, path: '/api/files', mostWaiting },
  }),
);
