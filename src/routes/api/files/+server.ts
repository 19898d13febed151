import { handIn, signedInGiver } from '$lib/server/files/hand-in';
import { answering } from '$lib/server/respond';
import { readyDatabase } from '$lib/server/start';
import type { RequestEvent } from './$types';

/** Begins to hand in a file. */
export const POST = answering(async ({ request, locals }: RequestEvent) =>
  handIn(await readyDatabase(), request, signedInGiver(locals.person.name)),
);
