import { redirect } from '@sveltejs/kit';
import { inHere } from '$lib/core/access/address';
import { beginOrganisation, organisationPatience } from '$lib/server/access/organisation';
import { originOf } from '$lib/server/door';
import { askedCookie, ledBack } from '$lib/server/access/let-in';
import type { RequestHandler } from './$types';

/** Sends the browser to the organisation's own sign-in. */
export const GET: RequestHandler = async (event) => {
  const back = `${originOf(event)}/sign-in/organisation/back`;
  const to = inHere(event.url.searchParams.get('to'));
  const { address, asked } = await beginOrganisation(back, to).catch(ledBack);
  event.cookies.set(askedCookie, asked, {
    ...{ path: '/sign-in/organisation', httpOnly: true, sameSite: 'lax' },
    ...{ secure: event.url.protocol === 'https:', maxAge: organisationPatience },
  });
  redirect(303, address);
};
