import { createCipheriv, createDecipheriv, randomBytes, scryptSync } from 'node:crypto';
import { z } from 'zod';

/** The file in a backup that says what it is, and the one that holds everything else. */
export const manifestName = 'manifest.json';
export const dumpName = 'dump.sql.zst';

const base64 = z.string().regex(/^[A-Za-z0-9+/=]*$/);

/** A secret under a passphrase: scrypt (RFC 7914), AES-256-GCM. */
const sealedSchema = z.strictObject({
  salt: base64,
  nonce: base64,
  tag: base64,
  text: base64,
});
export type Sealed = z.infer<typeof sealedSchema>;

const hash = z.string().regex(/^[0-9a-f]{64}$/);

/** What a backup says of itself. */
export const manifestSchema = z.strictObject({
  format: z.literal('unisor backup 1'),
  /** The moment of which it is. */
  at: z.iso.datetime(),
  release: z.string(),
  /** The migrations that the catalog has gone through, in order. */
  migrations: z.array(z.string()).min(1),
  /** The schemas as they were called. */
  catalog: z.string(),
  records: z.string(),
  dump: z.strictObject({ bytes: z.number().int(), sha256: hash }),
  /** Where the binary log of the database stood; `null` where it kept none. */
  log: z.strictObject({ file: z.string(), position: z.number().int() }).nullable(),
  /** The key with which secrets are kept; `null` where no passphrase was given. */
  key: sealedSchema.nullable(),
  /** What was in each table when the backup was restored to check it; `null` where it was not. */
  tables: z
    .array(
      z.strictObject({
        schema: z.enum(['catalog', 'records']),
        table: z.string(),
        rows: z.number().int(),
        checksum: z.string(),
      }),
    )
    .nullable(),
});
export type Manifest = z.infer<typeof manifestSchema>;

const algorithm = 'aes-256-gcm';
const keyOf = (passphrase: string, salt: Buffer) =>
  scryptSync(passphrase.normalize('NFKC'), salt, 32, { N: 2 ** 15, maxmem: 64 * 1024 ** 2 });

/** Seals a secret under a passphrase. */
export function seal(secret: string, passphrase: string): Sealed {
  const [salt, nonce] = [randomBytes(16), randomBytes(12)];
  const cipher = createCipheriv(algorithm, keyOf(passphrase, salt), nonce);
  const text = Buffer.concat([cipher.update(secret, 'utf8'), cipher.final()]);
  const told = { salt, nonce, tag: cipher.getAuthTag(), text };
  return sealedSchema.parse(
    Object.fromEntries(
      Object.entries(told).map(([name, bytes]) => [name, bytes.toString('base64')]),
    ),
  );
}

/** Opens a sealed secret; `null` where the passphrase is another one. */
export function unseal(sealed: Sealed, passphrase: string): string | null {
  const bytes = (name: keyof Sealed) => Buffer.from(sealed[name], 'base64');
  try {
    const cipher = createDecipheriv(algorithm, keyOf(passphrase, bytes('salt')), bytes('nonce'));
    cipher.setAuthTag(bytes('tag'));
    return Buffer.concat([cipher.update(bytes('text')), cipher.final()]).toString('utf8');
  } catch {
    return null;
  }
}
