import { generate } from 'otplib';
import { beforeAll, describe, expect, it } from 'vitest';
import {
  accountAt,
  changeAccount,
  listAccounts,
  makeAccount,
  removeAccount,
  welcomed,
  welcomeLink,
} from '../../src/server/access/accounts';
import { listEvents } from '../../src/server/access/activity';
import { isCodeOf, newCodeSecret, setCode } from '../../src/server/access/codes';
import { isPassword, refuseWeak } from '../../src/server/access/passwords';
import { keepRole, readRoles, removeRole } from '../../src/server/access/roles';
import {
  askerOf,
  beginSession,
  endSession,
  listSessions,
  lookAs,
} from '../../src/server/access/sessions';
import {
  changePassword,
  setUp,
  signIn,
  signInDemo,
  welcome,
} from '../../src/server/access/sign-in';
import { endToken, listTokens, makeToken, programOf } from '../../src/server/access/tokens';
import { useDatabase } from '../support/house';

const held = useDatabase('unisor_people');
const good = 'seven quiet lanterns over Corran';
const other = 'eleven brass horns under Harrow';
const from = (address: string) => ({ agent: 'tests', address });
const code = (wanted: string) => ({ problems: [{ code: wanted }] });
const setUpCode = 'a code for the tests';

beforeAll(async () => {
  process.env.UNISOR_SECRET = 'a key for nothing but tests';
  process.env.UNISOR_SETUP_CODE = setUpCode;
  const keeper = { code: setUpCode, name: 'keeper', shown: 'The Keeper', password: good };
  const wrong = setUp(held.db, { ...keeper, code: 'another code' }, from('set-up'));
  await expect(wrong).rejects.toMatchObject(code('set_up_code'));
  const both = await Promise.allSettled([
    setUp(held.db, keeper, from('a')),
    setUp(held.db, { ...keeper, name: 'second', shown: 'A second' }, from('b')),
  ]);
  // Of two at once one makes the first keeper; after that nobody does.
  expect(both.map(({ status }) => status).toSorted()).toEqual(['fulfilled', 'rejected']);
  const late = setUp(held.db, { ...keeper, name: 'third', shown: 'A third' }, from('c'));
  await expect(late).rejects.toMatchObject(code('set_up_closed'));
});

const keeper = async () =>
  (await listAccounts(held.db)).find(({ roles }) => roles.includes('keeper')) ??
  expect.fail('nobody');

async function clerk(name: string): Promise<number> {
  const wish = { name, shown: `Clerk ${name}`, email: '', roles: ['clerk'], link: null };
  const { id } = await makeAccount(held.db, wish);
  await welcome(held.db, await welcomeLink(held.db, id), good, from(`welcome ${name}`));
  return id;
}

describe('L1 signing in', () => {
  it('opens with name and password, whatever the case of the name', async () => {
    await clerk('maud');
    const secret = await signIn(held.db, { name: 'MAUD', password: good }, from('one'));
    const asker = await askerOf(held.db, secret);
    expect(asker?.person).toMatchObject({ name: 'maud', shown: 'Clerk maud', roles: ['clerk'] });
    expect(asker?.rights.place('people')).toBe(false);
  });

  it('answers an unknown name and a wrong password alike', async () => {
    const unknown = signIn(held.db, { name: 'nobody', password: good }, from('two'));
    await expect(unknown).rejects.toMatchObject({ ...code('sign_in_refused'), status: 401 });
    const wrong = signIn(held.db, { name: 'maud', password: other }, from('two'));
    await expect(wrong).rejects.toMatchObject({ ...code('sign_in_refused'), status: 401 });
    expect(await isPassword(null, 'nobody has this password')).toBe(false);
  });

  it('slows down guesses of one name from anywhere, and of any names from one place', async () => {
    const guess = (name: string, address: string) =>
      signIn(held.db, { name, password: 'a guess of many' }, from(address)).catch(
        (error: { problems: { code: string }[] }) => error.problems[0]?.code,
      );
    const byName = [];
    for (let i = 0; i < 12; i++) byName.push(await guess('guessed', `place ${i}`));
    expect(byName.filter((one) => one === 'sign_in_throttled')).toHaveLength(2);
    const atOnce = await Promise.all(
      Array.from({ length: 60 }, (_, i) => guess(`name ${i}`, 'one place')),
    );
    expect(atOnce.filter((one) => one === 'sign_in_throttled')).toHaveLength(10);
  }, 60_000);

  it('refuses short and common passwords, and those that are about the person', () => {
    expect(() => refuseWeak('short', [])).toThrow('at least 12 characters');
    for (const common of ['passwordpassword', 'qwertyuiop123', '111111111111', 'maudmaudmaud1']) {
      expect(() => refuseWeak(common, ['maud', 'Clerk Maud']), common).toThrow('easy to guess');
    }
    expect(() => refuseWeak(good, ['maud'])).not.toThrow();
  });

  it('lets people of the demo in by one click only on this machine, where it was loaded', async () => {
    const wish = { name: 'show', shown: 'Show', email: '', roles: ['clerk'], link: null };
    await makeAccount(held.db, wish, { demo: true });
    const tries = [
      ['', '127.0.0.1', 'not_allowed'],
      ['1', '10.0.0.4', 'not_allowed'],
    ] as const;
    for (const [loaded, address, refusal] of tries) {
      process.env.UNISOR_DEMO = loaded;
      const signed = signInDemo(held.db, 'show', from(address));
      await expect(signed).rejects.toMatchObject(code(refusal));
    }
    process.env.UNISOR_DEMO = '1';
    await expect(signInDemo(held.db, 'maud', from('127.0.0.1'))).rejects.toMatchObject(
      code('unknown_account'),
    );
    expect(await signInDemo(held.db, 'show', from('127.0.0.1'))).toHaveLength(43);
    const none = signIn(held.db, { name: 'show', password: good }, from('four'));
    await expect(none).rejects.toMatchObject(code('sign_in_refused'));
  });

  it('welcomes once by a link; a newer link ends the older one', async () => {
    const wish = { name: 'newcomer', shown: 'Newcomer', email: '', roles: [], link: null };
    const { id } = await makeAccount(held.db, wish);
    const older = await welcomeLink(held.db, id);
    const link = await welcomeLink(held.db, id);
    await expect(welcomed(held.db, older)).rejects.toMatchObject(code('welcome_bad'));
    const early = signIn(held.db, { name: 'newcomer', password: good }, from('five'));
    await expect(early).rejects.toMatchObject(code('sign_in_refused'));
    await welcome(held.db, link, good, from('six'));
    const again = welcome(held.db, link, other, from('six'));
    await expect(again).rejects.toMatchObject(code('welcome_bad'));
    expect((await accountAt(held.db, id)).state).toBe('active');
  });
});

describe('L1 sessions', () => {
  it('end with sign-out, a new password, a lock; a stolen cookie opens nothing then', async () => {
    const { db } = held;
    const id = await clerk('stolen');
    const session = () => signIn(db, { name: 'stolen', password: good }, from('seven'));
    const [first, second] = [await session(), await session()];
    const lines = await listSessions(db, id);
    expect(lines.map(({ way }) => way).toSorted()).toEqual(['link', 'password', 'password']);
    const known = await askerOf(db, first);
    await endSession(db, id, known?.session ?? '');
    expect(await askerOf(db, first)).toBeNull();
    const { person } = (await askerOf(db, second)) ?? expect.fail('not signed in');
    const wrong = changePassword(db, person, { current: other, password: other }, from('x'));
    await expect(wrong).rejects.toMatchObject(code('password_wrong'));
    const third = await changePassword(db, person, { current: good, password: other }, from('x'));
    expect(await askerOf(db, second)).toBeNull();
    expect(await askerOf(db, third)).not.toBeNull();
    await changeAccount(db, id, { state: 'locked' });
    expect(await askerOf(db, third)).toBeNull();
    const locked = signIn(db, { name: 'stolen', password: other }, from('eight'));
    await expect(locked).rejects.toMatchObject(code('account_locked'));
  });

  it('follow changed rights with the next request', async () => {
    const { db } = held;
    const id = await clerk('risen');
    const secret = await signIn(db, { name: 'risen', password: good }, from('nine'));
    const may = async () => (await askerOf(db, secret))?.rights.place('lists');
    expect(await may()).toBe(false);
    await changeAccount(db, id, { roles: ['designer'] });
    expect(await may()).toBe(true);
    const roles = await readRoles(db, db.knex);
    const designer = roles.get('designer') ?? expect.fail('no designer');
    await keepRole(db, { ...designer, places: [] }, 'change');
    expect(await may()).toBe(false);
    await keepRole(db, designer, 'change');
  });

  it('get another secret with changed roles; the one before opens for a moment only', async () => {
    const { db } = held;
    const id = await clerk('lifted');
    const before = await signIn(db, { name: 'lifted', password: good }, from('ten'));
    expect((await askerOf(db, before))?.turned).toBeNull();
    await changeAccount(db, id, { email: 'lifted@example.org' });
    expect((await askerOf(db, before))?.turned).toBeNull();
    await changeAccount(db, id, { roles: ['designer'] });
    // Of requests at once one is given the secret; all are answered.
    const at = await Promise.all([1, 2, 3].map(() => askerOf(db, before)));
    const given = at.flatMap((asker) => asker?.turned ?? []);
    expect(at.map((asker) => asker?.person.name)).toEqual(['lifted', 'lifted', 'lifted']);
    expect(given).toHaveLength(1);
    const [after = ''] = given;
    expect(await askerOf(db, after)).toMatchObject({ turned: null, session: at[0]?.session });
    expect(await askerOf(db, before)).toMatchObject({ turned: null });
    await db
      .knex('session')
      .withSchema(db.catalog)
      .where({ id: at[0]?.session })
      .update({ turned_at: '2020-01-01' });
    expect(await askerOf(db, before)).toBeNull();
    expect(await askerOf(db, after)).not.toBeNull();
    const next = await signIn(db, { name: 'lifted', password: good }, from('ten'));
    expect((await askerOf(db, next))?.turned).toBeNull();
  });

  it('are over when nobody has used them for long, or after a fortnight', async () => {
    const { db } = held;
    const id = await clerk('idle');
    const about = { way: 'link' as const, ...from('ten') };
    for (const column of ['seen_at', 'made_at']) {
      const secret = await beginSession(db, db.knex, id, about);
      expect(await askerOf(db, secret)).not.toBeNull();
      const sql = `update \`${db.catalog}\`.session set ${column} = ${column} - interval 15 day where account_id = ?`;
      await db.knex.raw(sql, [id]);
      expect(await askerOf(db, secret), column).toBeNull();
    }
  });

  it('borrow somebody’s eyes, and give them back', async () => {
    const { db } = held;
    const id = await clerk('looked');
    const { id: owner } = await keeper();
    const secret = await beginSession(db, db.knex, owner, { way: 'link', ...from('eleven') });
    const session = (await askerOf(db, secret))?.session ?? '';
    await lookAs(db, session, id);
    const looking = await askerOf(db, secret);
    expect(looking).toMatchObject({ owner, looksAs: { keeper: expect.any(String) } });
    expect(looking?.rights.keeps).toBe(false);
    await lookAs(db, session, null);
    expect((await askerOf(db, secret))?.rights.keeps).toBe(true);
  });
});

describe('L1 codes', () => {
  it('are asked for besides, each taken once; a recovery code takes their place once', async () => {
    const { db } = held;
    const id = await clerk('coded');
    const { secret } = newCodeSecret('coded');
    await expect(setCode(db, id, secret, '000000')).rejects.toMatchObject(code('code_wrong'));
    const recovery = await setCode(db, id, secret, await generate({ secret }));
    const sign = (given?: string) =>
      signIn(
        db,
        { name: 'coded', password: good, ...(given === undefined ? {} : { code: given }) },
        from('twelve'),
      );
    await expect(sign()).rejects.toMatchObject(code('code_needed'));
    const now = await generate({ secret });
    expect(await isCodeOf(db, id, now)).toBe(true);
    await expect(sign(now)).rejects.toMatchObject(code('code_wrong'));
    const [first = ''] = recovery;
    expect(await sign(first)).toHaveLength(43);
    await expect(sign(first)).rejects.toMatchObject(code('code_wrong'));
    const [row] = await db.knex('account').withSchema(db.catalog).where({ id });
    expect(JSON.stringify(row)).not.toContain(secret);
    expect(JSON.stringify(row)).not.toContain(first.replaceAll('-', ''));
  });
});

describe('L2 keepers and roles', () => {
  it('the last keeper cannot lock themselves out, be removed or become less', async () => {
    const { db } = held;
    const { id } = await keeper();
    const last = code('last_keeper');
    await expect(changeAccount(db, id, { roles: ['clerk'] })).rejects.toMatchObject(last);
    await expect(changeAccount(db, id, { state: 'locked' })).rejects.toMatchObject(last);
    await expect(removeAccount(db, id)).rejects.toMatchObject(last);
    const second = await clerk('second.keeper');
    await changeAccount(db, second, { roles: ['keeper'] });
    const both = await Promise.allSettled([
      changeAccount(db, id, { roles: [] }),
      changeAccount(db, second, { roles: [] }),
    ]);
    expect(both.map(({ status }) => status).toSorted()).toEqual(['fulfilled', 'rejected']);
    await changeAccount(db, id, { roles: ['keeper'] });
  });

  it('a role in use, a shipped one and that of the keeper are not removed', async () => {
    const { db } = held;
    const roles = await readRoles(db, db.knex);
    const like = roles.get('clerk') ?? expect.fail('no clerk');
    const role = await keepRole(db, { ...like, key: 'desk', title: 'Desk' }, 'make');
    await expect(keepRole(db, role, 'make')).rejects.toMatchObject(code('role_exists'));
    const id = await clerk('at.desk');
    await changeAccount(db, id, { roles: ['desk'] });
    await expect(removeRole(db, 'desk')).rejects.toMatchObject(code('role_in_use'));
    await changeAccount(db, id, { roles: [] });
    await removeRole(db, 'desk');
    await expect(changeAccount(db, id, { roles: ['desk'] })).rejects.toMatchObject(
      code('unknown_role'),
    );
    await expect(removeRole(db, 'clerk')).rejects.toMatchObject(code('role_fixed'));
    const keeping = roles.get('keeper') ?? expect.fail('no keeper');
    const less = keepRole(db, { ...keeping, places: [] }, 'change');
    await expect(less).rejects.toMatchObject(code('role_fixed'));
  });

  it('names are taken once, whatever their case and accents', async () => {
    const wish = { name: 'émile', shown: 'Émile', email: '', roles: [], link: null };
    await makeAccount(held.db, wish);
    const same = makeAccount(held.db, { ...wish, name: 'EMILE', shown: 'Other' });
    await expect(same).rejects.toMatchObject({ problems: [{ code: 'name_taken', path: 'name' }] });
    const shown = makeAccount(held.db, { ...wish, name: 'other', shown: 'emile' });
    await expect(shown).rejects.toMatchObject({
      problems: [{ code: 'name_taken', path: 'shown' }],
    });
  });
});

describe('K4 tokens', () => {
  it('ask with one role of their person, until they end or the person goes', async () => {
    const { db } = held;
    const id = await clerk('program');
    const secret = await signIn(db, { name: 'program', password: good }, from('thirteen'));
    const asker = (await askerOf(db, secret)) ?? expect.fail('not signed in');
    const higher = makeToken(db, asker, { name: 'x', role: 'keeper', days: 3 });
    await expect(higher).rejects.toMatchObject(code('not_allowed'));
    const wish = { name: 'night run', role: 'clerk', days: 3 };
    const { token, id: first } = await makeToken(db, asker, wish);
    const program = await programOf(db, token);
    expect(program?.person.shown).toBe('Clerk program (night run)');
    expect(program?.rights.form('any', 'fill')).toBe(true);
    expect((await listTokens(db, id))[0]).toMatchObject({ name: 'night run', role: 'clerk' });
    expect((await listTokens(db, id))[0]?.usedAt).not.toBeNull();
    expect(await programOf(db, `${token}x`)).toBeNull();
    await endToken(db, first, id);
    expect(await programOf(db, token)).toBeNull();
    const second = await makeToken(db, asker, wish);
    await changeAccount(db, id, { roles: [] });
    expect((await programOf(db, second.token))?.rights.form('any', 'fill')).toBe(false);
    await changeAccount(db, id, { roles: ['clerk'], state: 'locked' });
    expect(await programOf(db, second.token)).toBeNull();
    await removeAccount(db, id);
    expect(await programOf(db, second.token)).toBeNull();
    const [kept] = await db.knex('access_token').withSchema(db.catalog);
    expect(JSON.stringify(kept ?? {})).not.toContain(token);
  });
});

describe('L5 activity', () => {
  it('keeps who came and who was not let in, without their secrets', async () => {
    const events = await listEvents(held.db, { limit: 500 });
    const kinds = new Set(events.map(({ kind }) => kind));
    expect([...kinds]).toEqual(
      expect.arrayContaining(['signed_in', 'sign_in_refused', 'account_made', 'password_set']),
    );
    expect(JSON.stringify(events)).not.toContain('lanterns');
    const refused = await listEvents(held.db, { limit: 500, kind: 'sign_in_refused' });
    expect(new Set(refused.map(({ kind }) => kind))).toEqual(new Set(['sign_in_refused']));
    const [newest, next] = await listEvents(held.db, { limit: 2 });
    expect(newest?.id ?? 0).toBeGreaterThan(next?.id ?? 0);
  });
});
