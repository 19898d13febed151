import { redirect, type RequestEvent } from '@sveltejs/kit';
import { keeperKey, type ActOnForm } from '$lib/core/access/role';
import { fail, ProblemError } from '$lib/core/problems';
import { listForms } from '../catalog/forms';
import { hasWritten } from '../database/moment';
import { log } from '../log';
import { readyDatabase } from '../start';
import { noteEvent } from './activity';
import { doorOf, opens } from './doors';
import { houseOf } from './house';
import type { Site } from './passkeys';
import { askerOf, giveCookie, sessionCookie, type Asker } from './sessions';
import type { From } from './sign-in';
import { programOf } from './tokens';

/** The token that a program shows; `null` where it shows none. */
export function bearerOf(request: Request): string | null {
  return /^Bearer ([\w-]{8,200})$/.exec(request.headers.get('authorization') ?? '')?.[1] ?? null;
}

/** Finds out who asks, and lets them in where they may come in; fails, or sends them to sign in, otherwise. */
export async function letIn(event: RequestEvent, bearer: string | null): Promise<void> {
  const { route, request, params, locals, cookies } = event;
  const door = doorOf(route.id, request.method);
  const secret = cookies.get(sessionCookie);
  const isOpen = route.id === null || door?.needs.includes('anyone');
  // Nobody is asked for where everybody may come in, nor where nothing is, unless it is a page that tells so.
  if (isOpen && (!secret || bearer !== null)) return;
  if (route.id === null && !request.headers.get('accept')?.includes('text/html')) return;
  const db = await readyDatabase();
  const asker = await (bearer !== null
    ? programOf(db, bearer)
    : secret
      ? askerOf(db, secret)
      : null);
  if (asker) known(event, asker);
  if (asker?.turned) handOver(event, asker.turned);
  // Whoever has come to an address where nothing is still goes on from there as who they are.
  if (route.id === null) return;
  if (!door) return fail('not_allowed', {}, 403);
  if (!asker && !opens(door, null, params)) return turnedAway(event);
  if (asker?.looksAs && !door.reads) fail('only_looking', { person: asker.person.shown }, 403);
  if (opens(door, asker?.rights ?? null, params)) return;
  if (door.needs.some((need) => typeof need === 'object' && 'table' in need)) {
    // A table out of sight is answered as one that does not exist.
    const seen = asker?.rights.table(params.table ?? '', 'see') ?? false;
    if (!seen) fail('unknown_table', { table: params.table ?? '' }, 404);
  }
  const about = `${request.method} ${event.url.pathname}`;
  void noteEvent(db, {
    ...{ kind: 'refused', person: locals.person.name, about, address: event.getClientAddress() },
  }).catch((error: unknown) => log.warn({ err: error }, 'a refusal could not be noted'));
  fail('not_allowed', {}, 403);
}

function known({ locals }: RequestEvent, asker: Asker): void {
  locals.asker = asker;
  locals.person = { name: asker.person.shown };
  let house: ReturnType<typeof houseOf> | null = null;
  let forms: ReturnType<typeof listForms> | null = null;
  // What this request has changed itself is not in what it was let in with.
  const unchanged = () => (hasWritten() ? undefined : asker.catalog);
  locals.forms = () => (forms ??= readyDatabase().then((db) => listForms(db)));
  locals.house = () => (house ??= readyDatabase().then((db) => houseOf(db, asker, unchanged())));
}

/** Whoever is not known: a page leads to signing in, and from there back; everything else is refused. */
function turnedAway({ route, url, cookies, request }: RequestEvent): never {
  cookies.delete(sessionCookie, { path: '/' });
  if (route.id?.startsWith('/api/') || request.method !== 'GET') {
    return fail('not_signed_in', {}, 401);
  }
  const to = url.pathname === '/' ? '' : `?to=${encodeURIComponent(url.pathname + url.search)}`;
  return redirect(303, `/sign-in${to}`);
}

/** Refuses where somebody may not do this with a form; guests come by other ways. */
export function requireForm(locals: App.Locals, form: string, deed: ActOnForm): void {
  if (!locals.asker?.rights.form(form, deed)) fail('not_allowed', {}, 403);
}

/** Only a keeper gives, or touches, what a keeper has: nobody lifts themselves up. */
export function refuseHigher({ rights }: Asker, roles: readonly string[]): void {
  if (!rights.keeps && roles.includes(keeperKey)) fail('keepers_only', {}, 403);
}

/** The number of an account in an address; fails with 404. */
export function accountId(text: string): number {
  const id = Number(text);
  return Number.isSafeInteger(id) && id > 0 ? id : fail('unknown_account', {}, 404);
}

/** From where somebody comes. */
export function cameFrom({ request, getClientAddress }: RequestEvent): From {
  return { agent: request.headers.get('user-agent') ?? '', address: getClientAddress() };
}

/** Under which of the product's own addresses the browser stands; it was looked at already whether it is one. */
export function siteOf({ request, url }: RequestEvent): Site {
  const { origin, hostname } = new URL(request.headers.get('origin') ?? url.origin);
  return { origin, host: hostname };
}

/** Hands a new session to the browser that signs in. */
export function handOver({ cookies, url }: RequestEvent, secret: string): void {
  giveCookie(cookies, secret, url.protocol === 'https:');
}

/** The asker of a route that needs one. */
export function askerAt({ locals }: Pick<RequestEvent, 'locals'>): Asker {
  return locals.asker ?? fail('not_signed_in', {}, 401);
}

/** What a browser has asked an organisation's sign-in; no script reads it. */
export const askedCookie = 'unisor_asked';

/** Leads whoever could not sign in back to where one signs in, with the reason. */
export function ledBack(error: unknown): never {
  const code = error instanceof ProblemError ? error.problems[0]?.code : undefined;
  if (code === undefined) throw error;
  return redirect(303, `/sign-in?refused=${encodeURIComponent(code)}`);
}
