import { sha256 } from '@noble/hashes/sha2.js';
import { utf8ToBytes } from '@noble/hashes/utils.js';
import { effortText, isEffort } from '$lib/core/access/effort';

/** Finds the number that answers a challenge; the page stays at hand meanwhile. */
export async function makeEffort(challenge: string): Promise<number> {
  for (let nonce = 0; ; nonce++) {
    if (isEffort(sha256(utf8ToBytes(effortText(challenge, nonce))))) return nonce;
    if (nonce % 2000 === 1999) await new Promise((resolve) => setTimeout(resolve));
  }
}
