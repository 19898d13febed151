/** How a system has done lately. */
interface Lately {
  failures: number;
  /** Until when it is not asked, in milliseconds since 1970. */
  until: number;
}

/** After so many failures one after the other a system is left alone. */
const mostFailures = 3;
const shortestPause = 5_000;
const longestPause = 60_000;

const lately = new Map<string, Lately>();

/** For how many milliseconds a system is not asked any more; 0 where it may be. */
export function pausedFor(system: string, now = Date.now()): number {
  return Math.max(0, (lately.get(system)?.until ?? 0) - now);
}

/** A failure: from the third on it is left alone, each time for twice as long. */
export function noteFailure(system: string, now = Date.now()): void {
  const failures = (lately.get(system)?.failures ?? 0) + 1;
  const over = failures - mostFailures;
  const pause = over < 0 ? 0 : Math.min(longestPause, shortestPause * 2 ** over);
  lately.set(system, { failures, until: now + pause });
}

/** It answers again. */
export function noteSuccess(system: string): void {
  lately.delete(system);
}
