/** So many zero bits must a hash begin with; on average 2 to that power are tried. */
export const effortBits = 14;

/** Whether a SHA-256 begins with so many zero bits. */
export function isEffort(hash: Uint8Array, bits = effortBits): boolean {
  const whole = Math.floor(bits / 8);
  for (let i = 0; i < whole; i++) if (hash[i] !== 0) return false;
  const left = bits % 8;
  return left === 0 || (hash[whole] ?? 255) >> (8 - left) === 0;
}

/** What is hashed: the challenge with a number that makes the hash begin with zeros. */
export function effortText(challenge: string, nonce: number): string {
  return `${challenge}:${nonce}`;
}
