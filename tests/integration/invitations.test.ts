import { createHash, randomUUID } from 'node:crypto';
import { beforeAll, describe, expect, it } from 'vitest';
import { effortBits, effortText, isEffort } from '../../src/core/access/effort';
import { ProblemError } from '../../src/core/problems';
import {
  challengeFor,
  countUse,
  listInvitations,
  inviteSchema,
  makeInvitation,
  passFor,
  requirePass,
  revokeInvitation,
  usingInvitation,
  verifyInvitation,
} from '../../src/server/access/invitations';
import { invitationAt } from '../../src/server/access/guest';
import { throttleGuest } from '../../src/server/access/throttle';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { loadTables, makeTable } from '../../src/server/catalog/tables';
import { saveEntry } from '../../src/server/records/save';
import { addRecord } from '../../src/server/records/write';
import { column, field, planOf, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_invitations');
process.env.UNISOR_SECRET = 'a key for nothing but tests';

const memberTable = table('member', [column('phone')]);

beforeAll(async () => {
  await makeTable(held.db, memberTable, 'test');
  const plan = planOf('member', [field('phone', { savesTo: 'phone' })]);
  await makeForm(held.db, { table: 'member', key: 'member', plan }, 'test');
  await publishForm(held.db, 'member', 1, 'test');
});

const invite = (more: object = {}) =>
  makeInvitation(
    held.db,
    { form: 'member', record: 7, note: 'Ada', days: 1, uses: 2, message: '', ...more },
    'test',
  );
const codes = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('was not refused'),
    (error: unknown) => {
      if (error instanceof ProblemError) return error.problems.map(({ code }) => code);
      throw error;
    },
  );
const change = (id: string, what: object) =>
  held.db.knex('invitation').withSchema(held.db.catalog).where({ id }).update(what);

function solved(challenge: string): number {
  for (let nonce = 0; ; nonce++) {
    if (isEffort(createHash('sha256').update(effortText(challenge, nonce)).digest())) return nonce;
  }
}

describe('H4 an invitation', () => {
  it('opens its one record, for whoever has the link; the link itself is kept nowhere', async () => {
    const { token, invitation } = await invite();
    expect(await verifyInvitation(held.db, token)).toMatchObject({ record: 7, uses: 2, used: 0 });
    const [rows] = await held.db.knex.raw('select * from ??.invitation', [held.db.catalog]);
    expect(JSON.stringify(rows)).not.toContain(token.slice(-20));
    expect((await listInvitations(held.db)).map(({ id }) => id)).toContain(invitation.id);
  });

  it('cannot be altered, at whatever character', async () => {
    const { token } = await invite();
    const dots = [...token].flatMap((sign, i) => (sign === '.' ? [i] : []));
    const tried = [2, 30, (dots[0] ?? 0) + 5, (dots[1] ?? 0) + 4, token.length - 3];
    for (const at of tried) {
      const other = token[at] === 'A' ? 'B' : 'A';
      const altered = token.slice(0, at) + other + token.slice(at + 1);
      expect(await codes(verifyInvitation(held.db, altered))).toEqual(['invitation_bad']);
    }
    // One that says of itself that it needs no signature.
    const plain = (text: string) => Buffer.from(text).toString('base64url');
    const unsigned = `${plain('{"alg":"none"}')}.${token.split('.')[1]}.`;
    expect(await codes(verifyInvitation(held.db, unsigned))).toEqual(['invitation_bad']);
    expect(await codes(verifyInvitation(held.db, 'nothing'))).toEqual(['invitation_bad']);
  });

  it('ends, is revoked, and then opens nothing', async () => {
    const { token, invitation } = await invite();
    await change(invitation.id, { ends_at: '2020-01-01 00:00:00' });
    expect(await codes(verifyInvitation(held.db, token))).toEqual(['invitation_ended']);
    const other = await invite();
    await revokeInvitation(held.db, other.invitation.id);
    expect(await codes(verifyInvitation(held.db, other.token))).toEqual(['invitation_revoked']);
    expect(await codes(revokeInvitation(held.db, other.invitation.id))).toEqual(['invitation_bad']);
  });

  it('is used so often and no more, however many come at once; a retry is no further use', async () => {
    const { token } = await invite({ uses: 3 });
    const invitation = await verifyInvitation(held.db, token);
    let saves = 0;
    const use = (submission: string = randomUUID()) =>
      usingInvitation(held.db, invitation, submission, async () => ++saves);
    const tried = await Promise.allSettled(Array.from({ length: 8 }, () => use()));
    expect(tried.filter(({ status }) => status === 'fulfilled')).toHaveLength(3);
    expect(saves).toBe(3);
    expect(await codes(use())).toEqual(['invitation_used_up']);
    const again = (await invite({ uses: 1 })).invitation;
    const submission = randomUUID();
    await usingInvitation(held.db, again, submission, async () => 1);
    await usingInvitation(held.db, again, submission, async () => 1);
  });

  it('many guests at once wait for one another on one connection each, and nobody else waits', async () => {
    const { db } = held;
    const [row] = [await addRecord(db, await loadTables(db), memberTable, { phone: '1' }, 'test')];
    const { invitation } = await invite({ uses: 5, record: row.id });
    const save = (i: number) => {
      const submission = randomUUID();
      const entry = { submission, edition: 1, values: { phone: `555-01${10 + i}` } };
      return saveEntry(db, 'member', entry, 'guest', {
        inside: (trx) => countUse(db, trx, invitation.id, submission),
      });
    };
    const all = Promise.allSettled(Array.from({ length: 40 }, (_, i) => save(i)));
    const others = Array.from({ length: 5 }, () => db.knex.raw('select 1'));
    await Promise.all(others);
    const ended = await all;
    const failed = ended.flatMap((one) =>
      one.status === 'rejected' ? [one.reason as unknown] : [],
    );
    expect(ended.filter(({ status }) => status === 'fulfilled')).toHaveLength(5);
    expect(failed.map((error) => (error as ProblemError).problems[0]?.code)).toEqual(
      Array(35).fill('invitation_used_up'),
    );
    expect((await listInvitations(db)).find(({ id }) => id === invitation.id)?.used).toBe(5);
  });

  it('is not used where the save failed', async () => {
    const { invitation } = await invite({ uses: 1 });
    const failing = usingInvitation(held.db, invitation, randomUUID(), () =>
      Promise.reject(new Error('no')),
    );
    await expect(failing).rejects.toThrow('no');
    expect(await usingInvitation(held.db, invitation, randomUUID(), async () => 5)).toBe(5);
  });

  it('fits its form: a record, or a key where the form passes through', async () => {
    expect(await codes(invite({ record: undefined, key: 'x' }))).toEqual(['invitation_misfit']);
  });
});

describe('H4 the effort of a guest’s browser', () => {
  it('lets in whoever made it, for that invitation only', async () => {
    const [mine, other] = [(await invite()).invitation, (await invite()).invitation];
    const challenge = await challengeFor(mine);
    const nonce = solved(challenge);
    const pass = await passFor(mine, challenge, nonce, 3);
    expect(await requirePass(mine, pass)).toEqual({ edition: 3 });
    expect(await codes(requirePass(other, pass))).toEqual(['invitation_effort']);
    expect(await codes(passFor(other, challenge, nonce, 3))).toEqual(['invitation_effort']);
    expect(await codes(requirePass(mine, undefined))).toEqual(['invitation_effort']);
    expect(await codes(passFor(mine, 'a challenge of one’s own', nonce, 3))).toEqual([
      'invitation_effort',
    ]);
    const wrong = Array.from({ length: 50 }, (_, n) => n).find(
      (n) => !isEffort(createHash('sha256').update(effortText(challenge, n)).digest()),
    );
    expect(await codes(passFor(mine, challenge, wrong ?? 0, 3))).toEqual(['invitation_effort']);
  });

  it('is counted in zero bits', () => {
    expect(effortBits).toBeGreaterThan(8);
    expect(isEffort(new Uint8Array([0, 3, 255]))).toBe(true);
    expect(isEffort(new Uint8Array([0, 4, 0]))).toBe(false);
    expect(isEffort(new Uint8Array([1, 0, 0]))).toBe(false);
    expect(isEffort(new Uint8Array([]))).toBe(false);
  });
});

describe('H4 guests are throttled', () => {
  it('by their link, wherever they come from', async () => {
    for (let n = 0; n < 20; n++) await throttleGuest('open', 'mine');
    expect(await codes(throttleGuest('open', 'mine'))).toEqual(['too_many_requests']);
    await throttleGuest('open', 'other');
    expect(await codes(throttleGuest('ask', 'mine', 3001))).toEqual(['too_many_requests']);
  });

  it('where they guess; who comes from the same address with a good link is let in', async () => {
    const { token, invitation } = await invite();
    const from = (link: string) =>
      invitationAt(held.db, { params: { token: link }, getClientAddress: () => '192.0.2.9' });
    for (let n = 0; n < 20; n++) expect(await codes(from(`x${n}`))).toEqual(['invitation_bad']);
    expect(await codes(from('x20'))).toEqual(['too_many_requests']);
    expect((await from(token)).id).toBe(invitation.id);
  });
});

describe('H7 a public link', () => {
  const open = (more: object = {}) =>
    invite({ record: undefined, adds: true, uses: 5, perHour: 3, message: 'Welcome.', ...more });
  const add = (id: string, submission: string = randomUUID()) => {
    const entry = { submission, edition: 1, values: { phone: '555-0100' } };
    return saveEntry(held.db, 'member', entry, 'guest', {
      inside: (trx) => countUse(held.db, trx, id, submission),
    });
  };

  it('adds records, so many in an hour and so many in all, however many come at once', async () => {
    const { invitation } = await open();
    expect(invitation).toMatchObject({ adds: true, record: null, perHour: 3, message: 'Welcome.' });
    const tried = await Promise.allSettled(Array.from({ length: 8 }, () => add(invitation.id)));
    expect(tried.filter(({ status }) => status === 'fulfilled')).toHaveLength(3);
    expect(await codes(add(invitation.id))).toEqual(['invitation_busy']);
    const sql = `update \`${held.db.catalog}\`.invitation_use set at = at - interval 2 hour where invitation_id = ?`;
    await held.db.knex.raw(sql, [invitation.id]);
    const submission = randomUUID();
    await add(invitation.id, submission);
    await add(invitation.id, submission);
    await add(invitation.id);
    expect(await codes(add(invitation.id))).toEqual(['invitation_used_up']);
    const { used } = await verifyInvitation(held.db, (await open()).token);
    expect(used).toBe(0);
  });

  it('is for new records, or for one, or for an outside one: never for several of these', () => {
    const plain = { form: 'member', days: 1, uses: 1 };
    const made = (more: object) => inviteSchema.safeParse({ ...plain, ...more }).success;
    expect([made({ adds: true }), made({ record: 1 }), made({ key: 'x' })]).toEqual([
      ...[true, true, true],
    ]);
    expect([made({}), made({ adds: true, record: 1 }), made({ adds: false, record: 1 })]).toEqual([
      ...[false, false, false],
    ]);
  });
});
