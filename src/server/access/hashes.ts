import { createHash, randomBytes } from 'node:crypto';

/** A secret that nobody guesses, for a cookie, a link or a header: 256 bits, base64url. */
export function newSecret(): string {
  return randomBytes(32).toString('base64url');
}

/** What is kept of such a secret: it is random enough that a plain hash tells nothing of it. */
export function hashOf(secret: string): string {
  return createHash('sha256').update(secret).digest('base64url');
}

/** A short name for something that a person ends or removes by it. */
export function newId(): string {
  return randomBytes(16).toString('base64url');
}
