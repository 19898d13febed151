// Keeps the parts of a run going: one that ends is started again, after a pause that grows while it goes on ending.
import { setTimeout as sleep } from 'node:timers/promises';

const longestPause = 30_000;
/** A part that went on for so long is well again: its next pause is a short one. */
const wellAfter = 60_000;

/**
 * Starts a part and keeps it going. `start` gives `{ exited, stop() }`; a start that fails is tried again, too,
 * but for the first one, whose failure is the caller's to tell. Gives `{ part(), stop() }`.
 */
export async function supervise(name, start, { say = console.error, pause = sleep } = {}) {
  let stopping = false;
  let part = await start();
  const watching = watch();
  return {
    part: () => part,
    async stop() {
      stopping = true;
      await part?.stop();
    },
    watching,
  };

  async function watch() {
    let wait = 1000;
    let since = Date.now();
    while (!stopping) {
      await part.exited;
      if (stopping) return;
      if (Date.now() - since > wellAfter) wait = 1000;
      for (;;) {
        say(`${name} has ended; it is started again in ${wait / 1000} s.`);
        await pause(wait);
        wait = Math.min(wait * 2, longestPause);
        if (stopping) return;
        try {
          part = await start();
          break;
        } catch (error) {
          say(`${name} could not be started: ${error.message}`);
        }
      }
      // Told to stop while it was starting.
      if (stopping) return void (await part.stop());
      since = Date.now();
      say(`${name} goes on.`);
    }
  }
}
