import {
  generateAuthenticationOptions,
  generateRegistrationOptions,
  verifyAuthenticationResponse,
  verifyRegistrationResponse,
  type AuthenticationResponseJSON,
  type RegistrationResponseJSON,
} from '@simplewebauthn/server';
import { z } from 'zod';
import type { Person } from '$lib/core/access/person';
import { fail } from '$lib/core/problems';
import type { Database } from '../database/connection';
import { parseJson } from '../database/json';
import { log } from '../log';
import { moment } from './accounts';
import { noteEvent } from './activity';
import { hashOf } from './hashes';
import { countAddress, signedIn, type From } from './sign-in';

/** Passkeys (WebAuthn, W3C): a browser's or a key's own pair of keys for this house. */

/** Under which address the browser stands: the host is what a passkey belongs to. */
export interface Site {
  origin: string;
  host: string;
}

/** A challenge waits so long for its answer. Minutes. */
const patience = 5;

/** A passkey as its person sees it. */
export interface PasskeyLine {
  id: string;
  name: string;
  madeAt: string;
  usedAt: string | null;
}

const rowSchema = z.object({
  id: z.string(),
  account_id: z.number(),
  name: z.string(),
  public_key: z.string(),
  counter: z.coerce.number(),
  transports: z.unknown(),
  made_at: z.string(),
  used_at: z.string().nullable(),
});
const transportsSchema = z.array(z.string());

/** The passkeys of an account. */
export async function listPasskeys(db: Database, account: number): Promise<PasskeyLine[]> {
  const rows: unknown[] = await passkeys(db).where({ account_id: account }).orderBy('made_at');
  return rows.map((found) => {
    const { id, name, made_at, used_at } = rowSchema.parse(found);
    return { id, name, madeAt: moment(made_at) ?? '', usedAt: moment(used_at) };
  });
}

/** What a browser needs to make a passkey for an account. */
export async function beginPasskey(db: Database, { id, name, shown }: Person, { host }: Site) {
  const known = await listPasskeys(db, id);
  const options = await generateRegistrationOptions({
    ...{ rpName: 'Unisor', rpID: host, userName: name, userDisplayName: shown },
    userID: new TextEncoder().encode(`unisor-${id}`),
    attestationType: 'none',
    excludeCredentials: known.map((passkey) => ({ id: passkey.id })),
    authenticatorSelection: { residentKey: 'required', userVerification: 'required' },
  });
  await keepChallenge(db, options.challenge, id);
  return options;
}

/** What a browser sends of a passkey; its parts are verified by the library. */
export const passkeySchema = z.looseObject({
  id: z.string().min(1).max(512),
  rawId: z.string().max(512),
  type: z.literal('public-key'),
  response: z.looseObject({ clientDataJSON: z.string().max(4000) }),
  clientExtensionResults: z.looseObject({}).default({}),
});
type Sent = z.infer<typeof passkeySchema>;

/** A passkey that a browser has made, with a name by which its person knows it. */
export const passkeyMadeSchema = z.strictObject({
  name: z.string().trim().min(1).max(100),
  passkey: passkeySchema,
});

/** Keeps a passkey that a browser has made. */
export async function keepPasskey(
  db: Database,
  { id: account, shown }: Person,
  name: string,
  sent: Sent,
  { origin, host }: Site,
): Promise<void> {
  const verified = await verifyRegistrationResponse({
    response: sent as unknown as RegistrationResponseJSON,
    expectedChallenge: (challenge) => takeChallenge(db, challenge, account),
    ...{ expectedOrigin: origin, expectedRPID: host, requireUserVerification: true },
  }).catch(refused);
  if (!verified.verified || !verified.registrationInfo) return fail('passkey_refused', {}, 422);
  const { credential } = verified.registrationInfo;
  await passkeys(db).insert({
    ...{ id: credential.id, account_id: account, name, counter: credential.counter },
    public_key: Buffer.from(credential.publicKey).toString('base64url'),
    transports: JSON.stringify(credential.transports ?? []),
  });
  await noteEvent(db, { kind: 'passkey_set', person: shown, about: name });
}

/** Removes a passkey of an account. */
export async function removePasskey(
  db: Database,
  { id, shown }: Person,
  passkey: string,
): Promise<void> {
  const gone = await passkeys(db).where({ account_id: id, id: passkey }).delete();
  if (gone === 0) fail('passkey_refused', {}, 404);
  await noteEvent(db, { kind: 'passkey_set', person: shown });
}

/** What a passkey has to sign to sign in: any that the browser has for this house. */
export async function beginSignIn(db: Database, { host }: Site) {
  const options = await generateAuthenticationOptions({
    rpID: host,
    userVerification: 'required',
  });
  await keepChallenge(db, options.challenge, null);
  return options;
}

/** Signs in by a passkey: the person was verified by their device, so no further code is asked for. */
export async function signInPasskey(
  db: Database,
  sent: Sent,
  { origin, host }: Site,
  from: From,
): Promise<string> {
  await countAddress(db, from.address);
  const found: unknown = await passkeys(db).where({ id: sent.id }).first();
  const account: unknown = found
    ? await db
        .knex('account')
        .withSchema(db.catalog)
        .where({ id: rowSchema.parse(found).account_id, state: 'active' })
        .first('id', 'shown')
    : undefined;
  if (!found || !account) return fail('passkey_refused', {}, 401);
  const row = rowSchema.parse(found);
  const verified = await verifyAuthenticationResponse({
    response: sent as unknown as AuthenticationResponseJSON,
    expectedChallenge: (challenge) => takeChallenge(db, challenge, null),
    ...{ expectedOrigin: origin, expectedRPID: host, requireUserVerification: true },
    credential: {
      id: row.id,
      publicKey: new Uint8Array(Buffer.from(row.public_key, 'base64url')),
      counter: row.counter,
      transports: transportsSchema.parse(parseJson(row.transports)) as never,
    },
  }).catch(refused);
  if (!verified.verified) return fail('passkey_refused', {}, 401);
  await passkeys(db)
    .where({ id: row.id })
    .update({
      counter: verified.authenticationInfo.newCounter,
      used_at: db.knex.raw('utc_timestamp()'),
    });
  const person = z.object({ id: z.number(), shown: z.string() }).parse(account);
  return signedIn(db, person, 'passkey', from);
}

/** The library throws what it refuses; why is for the log, not for whoever tried. */
function refused(error: unknown): never {
  log.info({ error: String(error) }, 'a passkey was refused');
  return fail('passkey_refused', {}, 401);
}

async function keepChallenge(db: Database, challenge: string, account: number | null) {
  await challenges(db).where('ends_at', '<', db.knex.raw('utc_timestamp()')).delete();
  const ends = new Date(Date.now() + patience * 60_000).toISOString();
  await challenges(db).insert({
    ...{ hash: hashOf(challenge), account_id: account },
    ends_at: ends.slice(0, 19).replace('T', ' '),
  });
}

/** Takes a challenge away: whoever comes with it again is refused. */
async function takeChallenge(
  db: Database,
  challenge: string,
  account: number | null,
): Promise<boolean> {
  const taken = await challenges(db)
    .where({ hash: hashOf(challenge), account_id: account })
    .where('ends_at', '>', db.knex.raw('utc_timestamp()'))
    .delete();
  return taken === 1;
}

function passkeys(db: Database) {
  return db.knex('passkey').withSchema(db.catalog);
}

function challenges(db: Database) {
  return db.knex('challenge').withSchema(db.catalog);
}
