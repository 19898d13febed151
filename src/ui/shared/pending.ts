import { onDestroy, onMount } from 'svelte';
import type { Problem } from '$lib/core/problems';

/**
 * Makes what stands in a control, and is not yet a value, one: by reading it, or by waiting for the answer to
 * it. Gives why it stays as it is, where it cannot.
 */
export type Settle = () => void | Problem | null | Promise<void | Problem | null>;

const controls = new Set<Settle>();
const underway = new Set<Promise<unknown>>();

/**
 * Says that a control may hold something that is no value yet. Call it while a component is made. What it
 * holds when it goes is settled too.
 */
export function holdsPending(settle: Settle): void {
  onMount(() => void controls.add(settle));
  onDestroy(() => {
    if (controls.delete(settle)) stillSettling(Promise.resolve(settle()));
  });
}

/** Has everybody wait for work that settles what was typed, also when its control has gone. */
export function stillSettling<T>(work: Promise<T>): Promise<T> {
  underway.add(work);
  void work.finally(() => underway.delete(work)).catch(() => undefined);
  return work;
}

/**
 * Settles what stands in all controls: before a save, before publishing, before a panel closes. Gives what
 * could not be settled; as long as there is anything, nothing is to be saved.
 */
export async function settlePending(): Promise<Problem[]> {
  const left: Problem[] = [];
  for (const settle of [...controls]) {
    const found = await settle();
    if (found) left.push(found);
  }
  while (underway.size > 0) await Promise.allSettled([...underway]);
  return left;
}
