import { hash, verify } from '@node-rs/argon2';
import { ZxcvbnFactory } from '@zxcvbn-ts/core';
import * as common from '@zxcvbn-ts/language-common';
import * as english from '@zxcvbn-ts/language-en';
import { fail } from '$lib/core/problems';

/** Characters; NIST SP 800-63B asks for 8 with a second factor and 15 alone. */
export const shortestPassword = 12;

/** OWASP's recommendation for Argon2id: 19 MiB, two passes, one lane; that algorithm is the library's own choice. */
const cost = { memoryCost: 19_456, timeCost: 2, parallelism: 1 };

/** From 0 to 4; below this a password is guessed in hours. */
const leastScore = 3;

let strength: ZxcvbnFactory | null = null;

/** Refuses a password that is short or easily guessed, also from what is known of the person. */
export function refuseWeak(password: string, about: readonly string[]): void {
  if ([...password].length < shortestPassword) {
    fail('password_short', { least: shortestPassword }, 422, 'password');
  }
  strength ??= new ZxcvbnFactory({
    dictionary: { ...common.dictionary, ...english.dictionary },
    graphs: common.adjacencyGraphs,
  });
  const known = about.flatMap((text) => [text, ...text.split(/[^\p{L}\p{N}]+/u)]);
  const { score } = strength.check(
    password.slice(0, 72),
    known.filter((word) => word.length > 1),
  );
  if (score < leastScore) fail('password_common', {}, 422, 'password');
}

/** A password as it is kept. */
export function hashed(password: string): Promise<string> {
  return hash(password.normalize('NFKC'), cost);
}

/** A hash that no password has, verified where there is no account: both take the same time. */
let nobody: Promise<string> | null = null;

/** Whether a password is the one that is kept. Takes as long where none is. */
export async function isPassword(kept: string | null, password: string): Promise<boolean> {
  nobody ??= hashed('nobody has this password');
  const right = await verify(kept ?? (await nobody), password.normalize('NFKC'), cost);
  return right && kept !== null;
}
