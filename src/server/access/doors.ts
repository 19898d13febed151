import type { ActOnForm, Place, ActOnTable } from '$lib/core/access/role';
import type { Rights } from '$lib/core/access/rights';

/** What somebody needs who comes through a door; several at once: one of them. */
export type Need =
  'anyone' | 'signed_in' | { place: Place } | { table: ActOnTable } | { form: ActOnForm };

export interface Door {
  needs: readonly Need[];
  /** Whether it only reads, though it is a POST. */
  reads: boolean;
}

type Method = 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE';

const anyone: Need = 'anyone';
const signedIn: Need = 'signed_in';
const place = (name: Place): Need => ({ place: name });
const table = (deed: ActOnTable): Need => ({ table: deed });
const form = (deed: ActOnForm): Need => ({ form: deed });

const filling = [form('fill'), form('open')];
const anyForm = [...filling, form('design'), form('publish')];

/**
 * Every route with what it needs; a route that is not here lets nobody in, and the tests find it. What hangs on
 * more than the address (whose record it is, which edition) its route asks besides.
 */
const doors: Record<string, Partial<Record<Method, readonly Need[]>>> = {
  // Pages
  '/': { GET: [signedIn] },
  '/account': { GET: [signedIn] },
  '/account/api': { GET: [signedIn] },
  '/activity': { GET: [signedIn] },
  '/forms': { GET: [signedIn] },
  '/forms/[form]': { GET: filling },
  '/forms/[form]/answers': { GET: [form('open')] },
  '/forms/[form]/design': { GET: [form('design')] },
  '/forms/[form]/drift': { GET: [form('design')] },
  '/guest/[token]': { GET: [anyone] },
  '/lists': { GET: [signedIn] },
  '/lists/[list]': { GET: [signedIn] },
  '/outside': { GET: [place('outside')] },
  '/outside/[connection]': { GET: [place('outside')] },
  '/outside/new': { GET: [place('outside')] },
  '/outside/outbox': { GET: [place('outside')] },
  '/outside/queries/[query]': { GET: [place('outside')] },
  '/outside/queries/new': { GET: [place('outside')] },
  '/keeping': { GET: [place('people')] },
  '/people': { GET: [place('people')] },
  '/people/rights': { GET: [place('people')] },
  '/set-up': { GET: [anyone] },
  '/sign-in': { GET: [anyone] },
  '/sign-in/organisation': { GET: [anyone] },
  '/sign-in/organisation/back': { GET: [anyone] },
  '/tables': { GET: [signedIn] },
  '/tables/[table]': { GET: [table('see')] },
  '/tables/[table]/records/[id]': { GET: [table('see')] },
  '/tables/[table]/bring': { GET: [place('tables')] },
  '/tables/[table]/columns': { GET: [table('see')] },
  '/tables/[table]/questions': { GET: [table('see')] },
  '/tables/[table]/used': { GET: [table('see')] },
  '/tables/new': { GET: [place('tables')] },
  '/welcome/[secret]': { GET: [anyone] },
  // Signing in, and one's own account
  '/api/sign-in': { POST: [anyone] },
  '/api/sign-in/demo': { POST: [anyone] },
  '/api/sign-in/passkey': { POST: [anyone] },
  '/api/sign-in/passkey/begin': { POST: [anyone] },
  '/api/sign-out': { POST: [signedIn] },
  '/api/set-up': { POST: [anyone] },
  '/api/welcome/[secret]': { POST: [anyone] },
  '/api/account': { GET: [signedIn], PATCH: [signedIn] },
  '/api/account/password': { PUT: [signedIn] },
  '/api/account/code': { POST: [signedIn], PUT: [signedIn], DELETE: [signedIn] },
  '/api/account/sessions/[session]': { DELETE: [signedIn] },
  '/api/account/passkeys': { POST: [signedIn] },
  '/api/account/passkeys/[passkey]': { DELETE: [signedIn] },
  '/api/account/passkeys/begin': { POST: [signedIn] },
  '/api/account/looks-as': { DELETE: [signedIn] },
  '/api/tokens': { GET: [signedIn], POST: [signedIn] },
  '/api/tokens/[token]': { DELETE: [signedIn] },
  // People
  '/api/people': { GET: [place('people')], POST: [place('people')] },
  '/api/people/[account]': { PATCH: [place('people')], DELETE: [place('people')] },
  '/api/people/[account]/welcome': { POST: [place('people')] },
  '/api/people/[account]/sessions': { DELETE: [place('people')] },
  '/api/people/[account]/eyes': { POST: [place('people')] },
  '/api/roles': { GET: [place('people')], POST: [place('people')] },
  '/api/roles/[role]': { PUT: [place('people')], DELETE: [place('people')] },
  '/api/roles/[role]/try': { POST: [place('people')] },
  // Outside
  '/api/connections': { GET: [place('outside')], POST: [place('outside')] },
  '/api/connections/[connection]': { PUT: [place('outside')], DELETE: [place('outside')] },
  '/api/connections/[connection]/try': { POST: [place('outside')] },
  '/api/outbox/[id]': { POST: [place('outside')] },
  '/api/outside-hosts': { GET: [place('outside')], PUT: [place('outside')] },
  '/api/queries': { GET: [place('outside'), place('forms')], POST: [place('outside')] },
  '/api/queries/[query]': { PUT: [place('outside')], DELETE: [place('outside')] },
  '/api/queries/try': { POST: [place('outside')] },
  // Forms
  '/api/forms': { GET: [signedIn], POST: [place('forms')] },
  '/api/forms/[form]': { GET: anyForm, DELETE: [place('forms')] },
  '/api/forms/[form]/answers': { GET: [form('open')] },
  '/api/forms/[form]/buttons/[button]': { POST: filling },
  '/api/forms/[form]/draft': { GET: [form('design')], PUT: [form('design')] },
  '/api/forms/[form]/drift': {
    GET: [form('design')],
    POST: [form('design')],
    DELETE: [form('design')],
  },
  '/api/forms/[form]/drift/repair': { POST: [form('design')] },
  '/api/forms/[form]/drift/leave': { POST: [form('design')] },
  '/api/forms/[form]/rehearsals': {
    GET: [form('design'), form('publish')],
    POST: [form('design')],
  },
  '/api/forms/[form]/rehearsals/[id]': { PUT: [form('design')], DELETE: [form('design')] },
  '/api/forms/[form]/rehearsals/[id]/run': { POST: [form('design'), form('publish')] },
  '/api/forms/[form]/editions': {
    GET: [form('design'), form('publish')],
    POST: [form('publish')],
  },
  '/api/forms/[form]/editions/[edition]': { GET: anyForm },
  '/api/forms/[form]/editions/[edition]/entry-schema.json': { GET: anyForm },
  '/api/forms/[form]/entries': { POST: filling },
  '/api/forms/[form]/entry-draft': { GET: filling, PUT: filling, DELETE: filling },
  '/api/forms/[form]/house': { GET: [form('design')] },
  '/api/forms/[form]/new': { GET: [form('fill')] },
  '/api/forms/[form]/plan.json': { GET: [form('design')] },
  '/api/forms/[form]/questions': { POST: anyForm },
  '/api/forms/[form]/reach': { GET: [place('invite')] },
  '/api/forms/[form]/read': { POST: anyForm },
  '/api/forms/[form]/records/[id]': { GET: [form('open')] },
  '/api/forms/[form]/through': { GET: [form('fill')], POST: [form('fill')] },
  '/api/plan-schema.json': { GET: [signedIn] },
  '/api/saves/[save]/undo': { POST: [signedIn] },
  // Files
  '/api/files': { POST: [signedIn] },
  '/api/files/[file]': { GET: [signedIn], PATCH: [signedIn], DELETE: [signedIn] },
  // Guests
  '/api/guest/[token]/entries': { POST: [anyone] },
  '/api/guest/[token]/files': { POST: [anyone] },
  '/api/guest/[token]/files/[file]': { GET: [anyone], PATCH: [anyone], DELETE: [anyone] },
  '/api/guest/[token]/open': { POST: [anyone] },
  '/api/guest/[token]/questions': { POST: [anyone] },
  '/api/guest/[token]/read': { POST: [anyone] },
  '/api/guest/[token]/through': { GET: [anyone], POST: [anyone] },
  '/api/invitations': { GET: [place('invite')], POST: [place('invite')] },
  '/api/invitations/[id]': { DELETE: [place('invite')] },
  // Tables and lists
  '/api/find': { GET: [signedIn] },
  '/api/imports': { POST: [place('tables')] },
  '/api/imports/[id]/file': { PUT: [place('tables')] },
  '/api/imports/by-key': { POST: [place('tables')] },
  '/api/imports/together': { POST: [place('tables')] },
  '/api/imports/together/examine': { POST: [place('tables')] },
  '/api/imports/examine': { POST: [place('tables')] },
  '/api/lists': { GET: [signedIn], POST: [place('lists')] },
  '/api/lists/[list]': {
    GET: [signedIn],
    PUT: [place('lists')],
    DELETE: [place('lists')],
  },
  '/api/places': { GET: [signedIn] },
  '/api/tables': { GET: [signedIn], POST: [place('tables')] },
  '/api/tables/[table]': {
    GET: [table('see')],
    PATCH: [place('tables')],
    DELETE: [place('tables')],
  },
  '/api/tables/[table]/columns': { POST: [place('tables')] },
  '/api/tables/[table]/indexes': { POST: [place('tables')] },
  '/api/tables/[table]/words': { GET: [place('tables')], POST: [place('tables')] },
  '/api/tables/[table]/columns/[column]': { PATCH: [place('tables')], DELETE: [place('tables')] },
  '/api/tables/[table]/columns/[column]/type': {
    POST: [place('tables')],
    PUT: [place('tables')],
    DELETE: [place('tables')],
  },
  '/api/tables/[table]/columns/[column]/matches': { GET: [place('tables'), place('forms')] },
  '/api/tables/[table]/known': { GET: [table('see')] },
  '/api/tables/[table]/records': { GET: [table('see')], POST: [table('add')] },
  '/api/tables/[table]/records/[id]': {
    GET: [table('see')],
    PATCH: [table('change')],
    DELETE: [table('remove')],
  },
  '/api/tables/[table]/records/[id]/restore': { POST: [table('change')] },
  '/api/tables/[table]/export': { GET: [table('see')] },
  '/api/tables/[table]/together': { POST: [table('see')] },
  '/api/tables/[table]/uses': { GET: [place('tables'), place('forms'), place('lists')] },
  '/api/health': { GET: [anyone] },
  '/api/metrics': { GET: [place('people')] },
  '/api/package': { GET: [place('tables')], POST: [place('tables')] },
  '/api/openapi.json': { GET: [signedIn] },
};

/** POSTs that write nothing. */
const reading: ReadonlySet<string> = new Set([
  '/api/forms/[form]/read',
  '/api/account/looks-as',
  '/api/sign-out',
]);

/** The door of a route; `null` where it has none. */
export function doorOf(route: string | null, method: string): Door | null {
  const asked = method === 'HEAD' ? 'GET' : method;
  const needs = route === null ? undefined : doors[route]?.[asked as Method];
  if (!needs || route === null) return null;
  return { needs, reads: asked === 'GET' || reading.has(route) };
}

/** All doors, for the tests and the description of the API. */
export function allDoors(): { route: string; method: Method; needs: readonly Need[] }[] {
  return Object.entries(doors).flatMap(([route, byMethod]) =>
    (Object.keys(byMethod) as Method[]).map((method) => ({
      ...{ route, method },
      needs: byMethod[method] ?? [],
    })),
  );
}

/** Whether somebody with these rights may come through; the address says to which table or form. */
export function opens(
  { needs }: Pick<Door, 'needs'>,
  rights: Rights | null,
  params: Readonly<Partial<Record<string, string>>>,
): boolean {
  return needs.some((need) => {
    if (need === 'anyone') return true;
    if (!rights) return false;
    if (need === 'signed_in') return true;
    if ('place' in need) return rights.place(need.place);
    if ('table' in need) return rights.table(params.table ?? '', need.table);
    return rights.form(params.form ?? '', need.form);
  });
}
