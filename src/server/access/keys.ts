import { settings } from '../settings';
import { scryptSync } from 'node:crypto';
import { fail } from '$lib/core/problems';

const known = new Map<string, Uint8Array>();

/** A key of the server's own for one purpose, derived from its secret in the environment. */
export function serverKey(purpose: string): Uint8Array {
  const given = settings().UNISOR_SECRET;
  if (given.length < 16) return fail('secret_key_missing', {}, 500);
  const name = `${purpose} ${given}`;
  const key = known.get(name) ?? new Uint8Array(scryptSync(given, `unisor ${purpose}`, 32));
  known.set(name, key);
  return key;
}
