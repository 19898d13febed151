import { RateLimiterMemory } from 'rate-limiter-flexible';
import { fail } from '$lib/core/problems';

/** What a guest may ask of the server in a minute, from one address with one link. */
const guests = new RateLimiterMemory({ points: 120, duration: 60 });
/** How often links may be opened from one address in a minute: guessing is slow. */
const openings = new RateLimiterMemory({ points: 20, duration: 60 });

/** Counts a request of a guest; refuses with 429 where there are too many. */
export async function throttleGuest(kind: 'open' | 'work', address: string): Promise<void> {
  try {
    await (kind === 'open' ? openings : guests).consume(address);
  } catch {
    fail('too_many_requests', {}, 429);
  }
}
