import { randomUUID } from 'node:crypto';
import { isRedirect } from '@sveltejs/kit';
import { fail } from '$lib/core/problems';
import { say } from '$lib/core/words/say';
import { bearerOf, letIn } from '$lib/server/access/let-in';
import type { Handle, HandleServerError, RequestEvent, ServerInit } from '@sveltejs/kit';
import { log } from '$lib/server/log';
import { revisionRead } from '$lib/server/catalog/tables';
import { noting, type Moment } from '$lib/server/database/moment';
import { keepMoment, momentCookie, momentOf, readingFrom } from '$lib/server/database/replica';
import { settings } from '$lib/server/settings';
import { protect, refuseStrangers } from '$lib/server/door';
import { problemDetails, problemsOf } from '$lib/server/respond';
import { directionOf, type Reader } from '$lib/core/words/reader';
import { noteAnswer } from '$lib/server/keeping/metrics';
import { forReader, readerOfRequest, zoneCookie } from '$lib/server/reader';
import { readyDatabase, stopServer } from '$lib/server/start';

export const init: ServerInit = async () => {
  process.once('sveltekit:shutdown', () => void stopServer());
  process.once('uncaughtException', endInOrder);
  process.once('unhandledRejection', endInOrder);
  try {
    await readyDatabase();
  } catch (error) {
    log.error({ err: error }, 'the database is not ready; it is tried again with the next request');
  }
};

export const handle: Handle = async ({ event, resolve }) => {
  const began = performance.now();
  event.locals.requestId = newRequestId();
  event.locals.person = { name: 'guest' };
  event.locals.asker = null;
  event.locals.house = () => fail('not_signed_in', {}, 401);
  event.locals.forms = () => fail('not_signed_in', {}, 401);
  event.locals.reads = async () => {
    const db = await readyDatabase();
    const seen = momentOf(event.locals.person.name, event.cookies.get(momentCookie));
    return readingFrom(db, seen, () => revisionRead(db));
  };
  const reader = readerOfRequest(event.request.headers, event.cookies.get(zoneCookie));
  const moment = { gtid: null, wrote: false };
  const response = await noting(moment, () =>
    forReader(reader, () => answer(event, resolve, reader)),
  );
  rememberMoment(event, response, moment);
  const took = Math.round(performance.now() - began);
  const { method } = event.request;
  noteAnswer({ method, route: event.route.id, status: response.status }, took);
  // A guest's link is a key: it does not stand in the log.
  const path = event.url.pathname.replace(/(\/guest\/)[^/]+/, '$1…');
  log.debug({ method, path, status: response.status, took }, 'request');
  protect(response, event.url.pathname, event.url.protocol === 'https:');
  return response;
};

function newRequestId(): string {
  return randomUUID().slice(0, 8);
}

/** Whoever has written reads it afterwards, from whichever database. */
function rememberMoment(event: RequestEvent, response: Response, moment: Moment): void {
  const gtid = keepMoment(event.locals.person.name, moment);
  if (gtid === null || settings().UNISOR_READ_URL === '') return;
  const secure = event.url.protocol === 'https:';
  const cookie = event.cookies.serialize(momentCookie, gtid, {
    ...{ path: '/', httpOnly: true, sameSite: 'lax', maxAge: 600, secure },
  });
  response.headers.append('set-cookie', cookie);
}

async function answer(
  event: RequestEvent,
  resolve: Parameters<Handle>[0]['resolve'],
  stranger: Reader,
): Promise<Response> {
  try {
    const bearer = bearerOf(event.request);
    refuseStrangers(event, undefined, bearer !== null);
    await letIn(event, bearer);
  } catch (error) {
    if (isRedirect(error)) throw error;
    const { status, problems } = problemsOf(error, event.locals.requestId);
    return problemDetails(status, problems);
  }
  const { request, cookies, locals } = event;
  const own = locals.asker?.reads;
  const reader = own ? readerOfRequest(request.headers, cookies.get(zoneCookie), own) : stranger;
  return forReader(reader, () =>
    resolve(event, {
      filterSerializedResponseHeaders: (name) => name === 'content-type',
      transformPageChunk: ({ html }) => html.replace('%unisor.reader%', readerAttributes(reader)),
    }),
  );
}

/** The reader as the page carries them, so that the browser writes what the server has written. */
function readerAttributes(reader: Reader): string {
  const { language, locale, zone } = reader;
  return `lang="${language}" dir="${directionOf(reader)}" data-locale="${locale}" data-zone="${zone}"`;
}

/**
 * What nobody has caught ends this process in order: it goes on with nothing half done, and whoever started it
 * starts it again.
 */
function endInOrder(error: unknown): void {
  log.fatal({ err: error }, 'unexpected; the server ends and is started again');
  process.exitCode = 1;
  process.kill(process.pid, 'SIGTERM');
}

export const handleError: HandleServerError = ({ error, event, status, message }) => {
  if (status === 404) return { message: say('There is no page at this address.') };
  // What goes wrong before a request is handled has no name yet: its code cannot be loaded.
  const { requestId = newRequestId() } = event.locals as Partial<App.Locals>;
  const { problems } = problemsOf(error, requestId);
  return { message: problems[0]?.message ?? message, hint: problems[0]?.hint };
};
