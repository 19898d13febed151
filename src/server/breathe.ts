import { setImmediate } from 'node:timers/promises';

/** Long work lets others go on after so much time. Milliseconds. */
const longest = 8;

/**
 * For long work that would keep everybody else waiting: called again and again, it lets what waits go on
 * whenever the work has had its time.
 */
export function breather(): () => Promise<void> {
  let since = performance.now();
  return async () => {
    if (performance.now() - since < longest) return;
    await setImmediate();
    since = performance.now();
  };
}
