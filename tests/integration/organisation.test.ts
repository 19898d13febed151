import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import {
  accountAt,
  changeAccount,
  makeAccount,
  removeAccount,
} from '../../src/server/access/accounts';
import { listEvents } from '../../src/server/access/activity';
import {
  beginOrganisation,
  organisationTitle,
  signInOrganisation,
} from '../../src/server/access/organisation';
import { askerOf } from '../../src/server/access/sessions';
import { useDatabase } from '../support/house';
import { startForger, type Forger, type Forgery } from '../support/forger';

const held = useDatabase('unisor_organisation');
const back = 'http://127.0.0.1:4180/sign-in/organisation/back';
const from = { agent: 'tests', address: '127.0.0.1' };
const code = (wanted: string) => ({ problems: [{ code: wanted }] });
let forger: Forger;
let brida: number;

beforeAll(async () => {
  process.env.UNISOR_SECRET = 'a key for nothing but tests';
  forger = await startForger();
  process.env.UNISOR_OIDC_ISSUER = forger.issuer;
  process.env.UNISOR_OIDC_TITLE = 'The Council';
});
afterAll(async () => {
  delete process.env.UNISOR_OIDC_ISSUER;
  await forger.stop();
});
beforeEach(async () => {
  const wish = { name: 'brida', shown: 'Brida Quist', email: 'brida@example.org', roles: [] };
  brida = (await makeAccount(held.db, { ...wish, link: null })).id;
  return () => removeAccount(held.db, brida);
});

/** Asks, and comes back with an answer. */
async function comes(forgery: Forgery = {}, alter = (url: URL) => url, kept?: string) {
  const { address, asked } = await beginOrganisation(back, '/forms');
  const answer = alter(new URL(forger.answers(address, forgery)));
  return signInOrganisation(held.db, answer, kept ?? asked, from);
}

describe('the sign-in of the organisation', () => {
  it('lets in whoever has the e-mail address that it vouches for, and knows them again by their number', async () => {
    expect(organisationTitle()).toBe('The Council');
    expect((await accountAt(held.db, brida)).state).toBe('invited');
    const { secret, to } = await comes();
    expect(to).toBe('/forms');
    expect(await askerOf(held.db, secret)).toMatchObject({ person: { id: brida } });
    expect((await accountAt(held.db, brida)).state).toBe('active');
    await changeAccount(held.db, brida, { email: 'other@example.org' });
    expect(await askerOf(held.db, (await comes()).secret)).toMatchObject({ owner: brida });
    const [event] = await listEvents(held.db, { limit: 1, kind: 'signed_in' });
    expect(event).toMatchObject({ person: 'Brida Quist', about: 'organisation' });
  });

  it('does not give an account of one to another who has taken over the address', async () => {
    await comes();
    const other = comes({ claims: { sub: 'sub-2' } });
    await expect(other).rejects.toMatchObject(code('organisation_unknown'));
  });

  it('takes an address only where it is vouched for, and is one person’s', async () => {
    for (const claims of [{ email_verified: false }, { email: 'nobody@example.org' }]) {
      await expect(comes({ claims })).rejects.toMatchObject(code('organisation_unknown'));
    }
    const wish = { name: 'twin', shown: 'A twin', email: 'brida@example.org', roles: [] };
    const twin = await makeAccount(held.db, { ...wish, link: null });
    await expect(comes()).rejects.toMatchObject(code('organisation_unknown'));
    await removeAccount(held.db, twin.id);
  });

  it('keeps out whoever is locked out here', async () => {
    await comes();
    await changeAccount(held.db, brida, { state: 'locked' });
    await expect(comes()).rejects.toMatchObject(code('account_locked'));
  });

  const past = Math.floor(Date.now() / 1000) - 3600;
  it.each<[string, Forgery]>([
    ['another issuer', { claims: { iss: 'http://127.0.0.1:1' } }],
    ['another nonce', { claims: { nonce: 'another' } }],
    ['no nonce', { claims: { nonce: undefined } }],
    ['another audience', { claims: { aud: 'another-client' } }],
    ['several audiences, for another party', { claims: { aud: ['unisor', 'b'], azp: 'b' } }],
    ['expired', { claims: { iat: past - 60, exp: past } }],
    ['unsigned', { signed: 'not at all' }],
    ['signed with another key', { signed: 'with another key' }],
    ['no person', { claims: { sub: undefined } }],
  ])('refuses an answer that is forged: %s', async (_, forgery) => {
    await expect(comes(forgery)).rejects.toMatchObject(code('organisation_refused'));
  });

  it('refuses an answer to another question, from another browser, twice, or a refusal', async () => {
    const mine = await beginOrganisation(back, '/');
    const refused = code('organisation_refused');
    await expect(comes({}, (url) => url, mine.asked)).rejects.toMatchObject(refused);
    await expect(comes({}, (url) => url, 'no seal')).rejects.toMatchObject(refused);
    const without = (url: URL) => (url.searchParams.delete('state'), url);
    await expect(comes({}, without)).rejects.toMatchObject(refused);
    const denied = (url: URL) => {
      url.searchParams.delete('code');
      url.searchParams.set('error', 'access_denied');
      return url;
    };
    await expect(comes({}, denied)).rejects.toMatchObject(refused);
    const answer = new URL(forger.answers(mine.address));
    await signInOrganisation(held.db, answer, mine.asked, from);
    const again = signInOrganisation(held.db, answer, mine.asked, from);
    await expect(again).rejects.toMatchObject(refused);
    const nobody = signInOrganisation(held.db, answer, undefined, from);
    await expect(nobody).rejects.toMatchObject(refused);
  });

  it('says where the organisation does not respond', async () => {
    process.env.UNISOR_OIDC_ISSUER = 'http://127.0.0.1:1';
    const gone = beginOrganisation(back, '/');
    await expect(gone).rejects.toMatchObject(code('organisation_down'));
    process.env.UNISOR_OIDC_ISSUER = forger.issuer;
  });
});
