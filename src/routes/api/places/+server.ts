import { askerAt } from '$lib/server/access/let-in';
import { placesOf } from '$lib/server/access/may';
import { answering } from '$lib/server/respond';
import type { RequestEvent } from './$types';

/** What the person who asks can go to by name. */
export const GET = answering(async ({ locals }: RequestEvent) => ({
  places: placesOf(askerAt({ locals }), await locals.house(), await locals.forms()),
}));
