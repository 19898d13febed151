import { randomUUID } from 'node:crypto';
import type { Handle, HandleServerError, ServerInit } from '@sveltejs/kit';
import { log } from '$lib/server/log';
import { problemsOf } from '$lib/server/respond';
import { readyDatabase, stopServer } from '$lib/server/start';

export const init: ServerInit = async () => {
  process.once('sveltekit:shutdown', () => void stopServer());
  try {
    await readyDatabase();
  } catch (error) {
    log.error({ err: error }, 'the database is not ready; it is tried again with the next request');
  }
};

export const handle: Handle = async ({ event, resolve }) => {
  const began = performance.now();
  event.locals.requestId = randomUUID().slice(0, 8);
  event.locals.person = { name: 'designer' };
  const response = await resolve(event, {
    filterSerializedResponseHeaders: (name) => name === 'content-type',
  });
  const took = Math.round(performance.now() - began);
  const { method } = event.request;
  // A guest's link is a key: it does not stand in the log.
  const path = event.url.pathname.replace(/(\/guest\/)[^/]+/, '$1…');
  log.debug({ method, path, status: response.status, took }, 'request');
  response.headers.set('x-content-type-options', 'nosniff');
  response.headers.set('referrer-policy', 'same-origin');
  response.headers.set('x-frame-options', 'DENY');
  return response;
};

export const handleError: HandleServerError = ({ error, event, status, message }) => {
  if (status === 404) return { message };
  const { problems } = problemsOf(error, event.locals.requestId);
  return { message: problems[0]?.message ?? message, hint: problems[0]?.hint };
};
