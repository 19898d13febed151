import { AsyncLocalStorage } from 'node:async_hooks';

/** Until when what is read now is wanted; `null` where nobody says so. */
const current = new AsyncLocalStorage<AbortSignal | null>();

/** Reads something that is not wanted any more when the signal comes: its statement is ended in the database. */
export function whileWanted<T>(signal: AbortSignal | null, work: () => T): T {
  return current.run(signal, work);
}

/** Reads something that others wait for as well, or that is remembered: it goes on whoever has gone. */
export function forAll<T>(work: () => T): T {
  return current.run(null, work);
}

/** The signal of what is read now. */
export function wantedUntil(): AbortSignal | null {
  return current.getStore() ?? null;
}
