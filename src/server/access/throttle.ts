import { RateLimiterMemory } from 'rate-limiter-flexible';
import { fail } from '$lib/core/problems';

/** What may be done with one link in a minute: opened, worked with, asked of its form. */
const limits = {
  open: new RateLimiterMemory({ points: 20, duration: 60 }),
  work: new RateLimiterMemory({ points: 240, duration: 60 }),
  ask: new RateLimiterMemory({ points: 3000, duration: 60 }),
};

/** How many links that open nothing are answered to one address in a minute: guessing is slow. */
const guesses = new RateLimiterMemory({ points: 20, duration: 60 });

/**
 * Counts what is done with a link, whoever does it and from wherever; refuses with 429 where it is too much.
 * Others behind the same address are not touched by it.
 */
export function throttleGuest(kind: keyof typeof limits, link: string, much = 1): Promise<void> {
  return consumed(limits[kind], link, much);
}

/** Counts a link that opens nothing; refuses with 429 where there were too many from this address. */
export function throttleGuess(address: string): Promise<void> {
  return consumed(guesses, address, 1);
}

async function consumed(limiter: RateLimiterMemory, key: string, points: number): Promise<void> {
  try {
    await limiter.consume(key, points);
  } catch {
    fail('too_many_requests', {}, 429);
  }
}
