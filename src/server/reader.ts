import { AsyncLocalStorage } from 'node:async_hooks';
import { plainReader, readBy, readerOf, type Reader } from '$lib/core/words/reader';

/** The cookie in which a browser says its time zone. */
export const zoneCookie = 'unisor_zone';

const current = new AsyncLocalStorage<Reader>();
readBy(() => current.getStore() ?? plainReader);

/** What people have chosen for themselves; it goes before what their browser says. */
export interface OwnReading {
  language: string | null;
  zone: string | null;
}

/** Whose request it is, from what their browser says of itself. */
export function readerOfRequest(
  headers: Headers,
  zone: string | undefined,
  own?: OwnReading | null,
): Reader {
  return readerOf(own?.language ?? headers.get('accept-language'), own?.zone ?? zone ?? null);
}

/** Does some work for a reader: what it says is said to them. */
export function forReader<T>(reader: Reader, work: () => T): T {
  return current.run(reader, work);
}
