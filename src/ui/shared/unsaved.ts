import { onDestroy } from 'svelte';

let held: readonly (() => boolean)[] = [];

/**
 * Watches what stands on a page that saves by a button: who leaves while it differs from what was saved is asked.
 * `read` gives all that a person can change, as JSON has it. Call `settled` when it was saved.
 */
export function watchUnsaved(read: () => unknown): { settled: () => void } {
  let clean = JSON.stringify(read());
  const differs = () => JSON.stringify(read()) !== clean;
  held = [...held, differs];
  onDestroy(() => (held = held.filter((other) => other !== differs)));
  return { settled: () => void (clean = JSON.stringify(read())) };
}

/** Whether anything on the page would be lost by leaving it. */
export function anyUnsaved(): boolean {
  return held.some((differs) => differs());
}

/** Gives up what is not saved. */
export function giveUpUnsaved(): void {
  held = [];
}
