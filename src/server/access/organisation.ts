import { EncryptJWT, jwtDecrypt } from 'jose';
import * as oidc from 'openid-client';
import { z } from 'zod';
import { ProblemError, fail } from '$lib/core/problems';
import { duplicateIndex } from '../database/errors';
import type { Database } from '../database/connection';
import { log } from '../log';
import { settings } from '../settings';
import { noteEvent } from './activity';
import { serverKey } from './keys';
import { countAddress, signedIn, type From } from './sign-in';

/**
 * The organisation's own sign-in over OpenID Connect: the authorization code flow with PKCE. What it answers counts
 * only with its signature, for this house, in time, and to the question that this browser has asked.
 */

/** How the organisation is called where one can sign in through it; `null` where it is not set up. */
export function organisationTitle(): string | null {
  const { UNISOR_OIDC_ISSUER: issuer, UNISOR_OIDC_TITLE: title } = settings();
  if (issuer === '') return null;
  return title === '' ? new URL(issuer).hostname : title;
}

/** Where the browser goes to sign in, and what it keeps meanwhile: sealed, for the way back. */
export interface Begun {
  address: string;
  asked: string;
}

/** So long may somebody take there. Seconds. */
export const organisationPatience = 600;

const askedSchema = z.object({
  state: z.string(),
  nonce: z.string(),
  verifier: z.string(),
  to: z.string(),
});

/** Begins to sign in: `back` is the address to which the organisation sends the browser, `to` the page after that. */
export async function beginOrganisation(back: string, to: string): Promise<Begun> {
  const config = await configuration();
  const asked = {
    state: oidc.randomState(),
    nonce: oidc.randomNonce(),
    verifier: oidc.randomPKCECodeVerifier(),
    to,
  };
  const address = oidc.buildAuthorizationUrl(config, {
    ...{ redirect_uri: back, scope: 'openid email', state: asked.state, nonce: asked.nonce },
    code_challenge: await oidc.calculatePKCECodeChallenge(asked.verifier),
    code_challenge_method: 'S256',
  });
  const sealed = new EncryptJWT(asked)
    .setProtectedHeader({ alg: 'dir', enc: 'A256GCM' })
    .setExpirationTime(`${organisationPatience} s`);
  return { address: address.href, asked: await sealed.encrypt(serverKey('organisation')) };
}

/** Signs in by what the organisation has answered to what this browser has asked. */
export async function signInOrganisation(
  db: Database,
  answer: URL,
  sealed: string | undefined,
  from: From,
): Promise<{ secret: string; to: string }> {
  await countAddress(db, from.address);
  const asked = await unsealed(sealed);
  const known = await knownAs(answer, asked);
  const account = await accountOf(db, known);
  if (account === null) {
    const person = known.email ?? known.subject;
    await noteEvent(db, { kind: 'sign_in_refused', person, address: from.address });
    return fail('organisation_unknown', {}, 403);
  }
  if (account.state === 'locked') fail('account_locked', {}, 403);
  return { secret: await signedIn(db, account, 'organisation', from), to: asked.to };
}

async function unsealed(sealed: string | undefined): Promise<z.infer<typeof askedSchema>> {
  try {
    const { payload } = await jwtDecrypt(sealed ?? '', serverKey('organisation'));
    return askedSchema.parse(payload);
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    return fail('organisation_refused', {}, 401);
  }
}

/** A person as the organisation knows them; the e-mail address only where it vouches for it. */
interface Known {
  issuer: string;
  subject: string;
  email: string | null;
}

const mailSchema = z.object({ email: z.email(), email_verified: z.literal(true) });

/** Asks the organisation for what its answer stands for, and takes it only where everything fits. */
async function knownAs(
  answer: URL,
  { state, nonce, verifier }: z.infer<typeof askedSchema>,
): Promise<Known> {
  const config = await configuration();
  try {
    const tokens = await oidc.authorizationCodeGrant(config, answer, {
      ...{ pkceCodeVerifier: verifier, expectedNonce: nonce, expectedState: state },
      idTokenExpected: true,
    });
    const claims = tokens.claims();
    if (!claims) return fail('organisation_refused', {}, 401);
    const mail = mailSchema.safeParse(
      claims.email === undefined
        ? await oidc.fetchUserInfo(config, tokens.access_token, claims.sub)
        : claims,
    );
    const email = mail.success ? mail.data.email : null;
    return { issuer: claims.iss, subject: claims.sub, email };
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    // Why is for the log, not for whoever tried.
    log.info({ error: String(error) }, 'an answer of the organisation was refused');
    return fail('organisation_refused', {}, 401);
  }
}

const accountRow = z.object({ id: z.number(), shown: z.string(), state: z.string() });

/**
 * The account of a person: the one that signed in so before, otherwise the only one with the e-mail address that
 * the organisation vouches for, which is theirs from then on.
 */
async function accountOf(
  db: Database,
  { issuer, subject, email }: Known,
): Promise<z.infer<typeof accountRow> | null> {
  const accounts = () => db.knex('account').withSchema(db.catalog);
  const subjects = () => db.knex('account_subject').withSchema(db.catalog);
  const before = await subjects().where({ issuer, subject }).first('account_id');
  if (before) {
    const row: unknown = await accounts().where({ id: before.account_id }).first();
    return accountRow.parse(row);
  }
  if (email === null) return null;
  const rows = z.array(accountRow).parse(await accounts().where({ email }).limit(2));
  const [row] = rows;
  if (!row || rows.length > 1) return null;
  if (row.state === 'locked') return row;
  try {
    await subjects().insert({ issuer, subject, account_id: row.id });
  } catch (error) {
    if (duplicateIndex(error) === null) throw error;
    // Another window was first; or the account is that of somebody else there, and stays theirs.
    return accountOf(db, { issuer, subject, email: null });
  }
  if (row.state === 'invited') await accounts().where({ id: row.id }).update({ state: 'active' });
  return row;
}

let discovered: { of: string; until: number; config: Promise<oidc.Configuration> } | null = null;
/** What an organisation says of its addresses and keys is asked for again after so long. Milliseconds. */
const discoveredFor = 3_600_000;
/** Clocks may differ by so much. Seconds. */
const tolerance = 30;
const patience = 10;

/** What the organisation says of itself; asked once, and again where that failed. */
async function configuration(): Promise<oidc.Configuration> {
  const { UNISOR_OIDC_ISSUER: issuer, UNISOR_OIDC_CLIENT: client } = settings();
  const { UNISOR_OIDC_SECRET: secret } = settings();
  if (issuer === '') return fail('not_allowed', {}, 404);
  const of = `${issuer} ${client}`;
  if (discovered?.of !== of || discovered.until < Date.now()) {
    const config = discover(new URL(issuer), client, secret);
    discovered = { of, until: Date.now() + discoveredFor, config };
  }
  try {
    return await discovered.config;
  } catch (error) {
    discovered = null;
    log.warn({ err: error }, 'the sign-in of the organisation does not say where it is');
    return fail('organisation_down', {}, 503);
  }
}

async function discover(issuer: URL, client: string, secret: string): Promise<oidc.Configuration> {
  const near = ['127.0.0.1', 'localhost', '[::1]'].includes(issuer.hostname);
  const config = await oidc.discovery(
    issuer,
    client,
    { client_secret: secret, [oidc.clockTolerance]: tolerance },
    undefined,
    // Without encryption only on this machine.
    { timeout: patience, execute: near ? [oidc.allowInsecureRequests] : [] },
  );
  // Signatures are looked at even though what comes straight from the organisation might do without.
  oidc.enableNonRepudiationChecks(config);
  return config;
}
