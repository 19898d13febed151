import { redirect } from '@sveltejs/kit';
import { inHere } from '$lib/core/access/address';
import { hasNoPeople } from '$lib/server/access/accounts';
import { organisationTitle } from '$lib/server/access/organisation';
import { readRoles } from '$lib/server/access/roles';
import { demoPeople, isDemo } from '$lib/server/access/sign-in';
import { problem } from '$lib/core/problems';
import { readyDatabase } from '$lib/server/start';
import type { PageServerLoad } from './$types';

/** Why somebody comes back here from the organisation's own sign-in. */
const refusals = [
  'organisation_refused',
  'organisation_unknown',
  'organisation_down',
  'account_locked',
  'sign_in_throttled',
] as const;

export const load: PageServerLoad = async ({ locals, url, getClientAddress }) => {
  const to = inHere(url.searchParams.get('to'));
  if (locals.asker) redirect(303, to);
  const db = await readyDatabase();
  const demo = isDemo(getClientAddress()) ? await demoPeople(db) : [];
  if (demo.length === 0 && (await hasNoPeople(db))) redirect(303, '/set-up');
  const roles = demo.length === 0 ? new Map() : await readRoles(db, db.knex);
  const refused = refusals.find((code) => code === url.searchParams.get('refused'));
  return {
    to,
    organisation: organisationTitle(),
    refused: refused ? [problem(refused)] : [],
    demo: demo.map(({ name, shown, roles: keys }) => ({
      ...{ name, shown },
      roles: keys
        .flatMap((key) => roles.get(key) ?? [])
        .map(({ title, note }) => ({ title, note })),
    })),
  };
};
