import { randomBytes } from 'node:crypto';
import { generateSecret, generateURI, verify } from 'otplib';
import { z } from 'zod';
import { fail } from '$lib/core/problems';
import type { Database } from '../database/connection';
import { parseJson } from '../database/json';
import { inTransaction } from '../database/transaction';
import { opened, sealed } from '../outside/secrets';
import { hashOf } from './hashes';

/** How far a clock may be off. Seconds. */
const tolerance = 30;
const recoveryCodes = 8;

/** A new secret for an authenticator app, with the address that it reads from a picture. */
export function newCodeSecret(name: string): { secret: string; uri: string } {
  const secret = generateSecret();
  return { secret, uri: generateURI({ issuer: 'Unisor', label: name, secret }) };
}

/** Takes a secret over once its first code was right; gives recovery codes, each good for one time. */
export async function setCode(
  db: Database,
  account: number,
  secret: string,
  code: string,
): Promise<string[]> {
  const { valid } = await verify({ secret, token: plain(code), epochTolerance: tolerance });
  if (!valid) fail('code_wrong', {}, 422, 'code');
  const recovery = Array.from({ length: recoveryCodes }, () => randomBytes(8).toString('hex'));
  await accounts(db)
    .where({ id: account })
    .update({
      otp_secret: sealed(secret),
      otp_step: null,
      recovery: JSON.stringify(recovery.map(hashOf)),
    });
  return recovery.map((one) => one.replace(/(.{4})(?=.)/g, '$1-'));
}

/** Takes the second factor off an account. */
export async function dropCode(db: Database, account: number): Promise<void> {
  await accounts(db)
    .where({ id: account })
    .update({ otp_secret: null, otp_step: null, recovery: null });
}

const rowSchema = z.object({
  otp_secret: z.string().nullable(),
  otp_step: z.coerce.number().nullable(),
  recovery: z.unknown(),
});

/** Whether a code is the account's now; each is taken once, a recovery code as well. */
export async function isCodeOf(db: Database, account: number, code: string): Promise<boolean> {
  return inTransaction(db, async (trx) => {
    const found: unknown = await trx('account')
      .withSchema(db.catalog)
      .where({ id: account })
      .forUpdate()
      .first('otp_secret', 'otp_step', 'recovery');
    const row = rowSchema.parse(found);
    if (row.otp_secret === null) return false;
    const given = plain(code);
    const mine = () => trx('account').withSchema(db.catalog).where({ id: account });
    if (/^\d{6}$/.test(given)) {
      const secret = opened(row.otp_secret);
      const result = await verify({ secret, token: given, epochTolerance: tolerance });
      if (!result.valid) return false;
      const used = 'timeStep' in result ? result.timeStep : 0;
      if (row.otp_step !== null && used <= row.otp_step) return false;
      await mine().update({ otp_step: used });
      return true;
    }
    const hashes = z.array(z.string()).catch([]).parse(parseJson(row.recovery));
    const hash = hashOf(given);
    if (!hashes.includes(hash)) return false;
    await mine().update({ recovery: JSON.stringify(hashes.filter((one) => one !== hash)) });
    return true;
  });
}

function plain(code: string): string {
  return code.replace(/[\s-]/g, '').toLowerCase();
}

function accounts(db: Database) {
  return db.knex('account').withSchema(db.catalog);
}
