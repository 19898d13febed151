import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';
import { fail } from '$lib/core/problems';
import { serverKey } from '../access/keys';

const algorithm = 'aes-256-gcm';

/** Encrypts a secret for the database (AES-256-GCM); fails where the server has no key for it. */
export function sealed(secret: string): string {
  const nonce = randomBytes(12);
  const cipher = createCipheriv(algorithm, serverKey('secrets'), nonce);
  const text = Buffer.concat([cipher.update(secret, 'utf8'), cipher.final()]);
  return [nonce, cipher.getAuthTag(), text].map((part) => part.toString('base64url')).join('.');
}

/** Decrypts what {@link sealed} gave; fails where it was made with another key, or altered. */
export function opened(text: string): string {
  const [nonce, tag, sealedText] = text.split('.').map((part) => Buffer.from(part, 'base64url'));
  if (!nonce || !tag || !sealedText) return fail('secret_key_missing', {}, 500);
  try {
    const decipher = createDecipheriv(algorithm, serverKey('secrets'), nonce);
    decipher.setAuthTag(tag);
    return Buffer.concat([decipher.update(sealedText), decipher.final()]).toString('utf8');
  } catch {
    return fail('secret_key_missing', {}, 500);
  }
}
