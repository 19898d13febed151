import { AsyncLocalStorage } from 'node:async_hooks';

/**
 * How far the database's log had come when something was last written here: a global transaction id of MariaDB
 * (domain-server-sequence). What a request has written is noted while it is answered, so that a later read on a
 * replica can wait for it.
 * https://mariadb.com/kb/en/gtid/
 */
export interface Moment {
  gtid: string | null;
  /** Whether a statement was sent that does more than read; also where the database keeps no log. */
  wrote?: boolean;
}

const current = new AsyncLocalStorage<Moment>();

/** Does some work whose writes are noted in a moment. */
export function noting<T>(moment: Moment, work: () => T): T {
  return current.run(moment, work);
}

/** Notes that a statement of this request was committed. */
export function noteCommitted(gtid: string): void {
  const moment = current.getStore();
  if (moment && isGtid(gtid)) moment.gtid = gtid;
}

/** Notes that a statement of this request may have written something. */
export function noteWriting(): void {
  const moment = current.getStore();
  if (moment) moment.wrote = true;
}

/** Whether this request may have written anything; where nothing is noted, it may have. */
export function hasWritten(): boolean {
  return current.getStore()?.wrote ?? true;
}

/** Whether a text is the id of a transaction; what stands in a cookie is not believed. */
export function isGtid(text: string | null | undefined): text is string {
  return typeof text === 'string' && /^\d{1,10}-\d{1,10}-\d{1,20}$/.test(text);
}

/** The later of two ids of one domain; the first one where they cannot be compared. */
export function later(a: string | null, b: string | null): string | null {
  if (!a || !b) return a ?? b;
  const [[ofA, , atA], [ofB, , atB]] = [a.split('-'), b.split('-')];
  return ofA === ofB && BigInt(atB ?? 0) > BigInt(atA ?? 0) ? b : a;
}
