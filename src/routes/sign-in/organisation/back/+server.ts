import { redirect } from '@sveltejs/kit';
import { askedCookie, cameFrom, handOver, ledBack } from '$lib/server/access/let-in';
import { signInOrganisation } from '$lib/server/access/organisation';
import { originOf } from '$lib/server/door';
import { readyDatabase } from '$lib/server/start';
import type { RequestHandler } from './$types';

/** Where the organisation's own sign-in sends the browser back to. */
export const GET: RequestHandler = async (event) => {
  const { cookies, url } = event;
  const asked = cookies.get(askedCookie);
  cookies.delete(askedCookie, { path: '/sign-in/organisation' });
  const answer = new URL(url.pathname + url.search, originOf(event));
  const db = await readyDatabase();
  const { secret, to } = await signInOrganisation(db, answer, asked, cameFrom(event)).catch(
    ledBack,
  );
  handOver(event, secret);
  redirect(303, to);
};
