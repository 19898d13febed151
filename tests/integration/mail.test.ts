import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { makeTable } from '../../src/server/catalog/tables';
import { makeAccount } from '../../src/server/access/accounts';
import { mailSchema } from '../../src/core/plan/schema';
import { closeMail } from '../../src/server/outside/mail';
import { deliverDue, listSends, settleSend } from '../../src/server/outside/outbox';
import { saveEntry } from '../../src/server/records/save';
import { catchMail, type MailCatcher } from '../../simulators/mail';
import type { Trouble } from '../../simulators/state';
import { column, field, planOf, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_mail');
let catcher: MailCatcher;

beforeAll(async () => {
  catcher = await catchMail();
  process.env.UNISOR_MAIL_URL = catcher.address;
  const { db } = held;
  const person = { roles: [], link: null };
  await makeAccount(db, {
    ...person,
    name: 'ottilie',
    shown: 'Ottilie',
    email: 'ottilie@library.example.org',
  });
  await makeAccount(db, { ...person, name: 'anselm', shown: 'Anselm', email: '' });
  await makeTable(db, table('visit', [column('name'), column('mail')]), 'test');
  const fields = [field('name', { savesTo: 'name' }), field('mail', { savesTo: 'mail' })];
  const mail = { to: '{mail}, ottilie, anselm', subject: 'Visit of {name}', text: 'Hello {name}.' };
  const plan = { ...planOf('visit', fields), mails: [mailSchema.parse(mail)] };
  await makeForm(db, { table: 'visit', key: 'visit', plan }, 'test');
  await publishForm(db, 'visit', 1, 'test');
});
afterAll(async () => {
  closeMail();
  await catcher.stop();
  delete process.env.UNISOR_MAIL_URL;
});
beforeEach(async () => {
  await outbox().delete();
  (catcher.caught as unknown[]).length = 0;
  trouble('none');
  process.env.UNISOR_MAIL_URL = catcher.address;
});

const outbox = () => held.db.knex('outbox').withSchema(held.db.catalog);
const trouble = (what: Trouble) =>
  (catcher.state.switches = { trouble: what, slow: 0, share: 100 });
const save = (values: object, submission: string = randomUUID()) =>
  saveEntry(held.db, 'visit', { submission, edition: 1, values: { ...values } }, 'test');
const hurry = () =>
  outbox()
    .where({ state: 'waiting' })
    .update({ next_at: held.db.knex.raw('now(3)') });
const byAddress = async () =>
  new Map((await listSends(held.db)).map(({ address, ...send }) => [address, send]));

describe('F10 e-mail after a save', () => {
  it('reaches each by a message of their own, once; who has no address is told', async () => {
    const submission = randomUUID();
    await save({ name: 'Ada', mail: 'ada@example.org' }, submission);
    await save({ name: 'Ada', mail: 'ada@example.org' }, submission);
    await deliverDue(held.db);
    expect(
      catcher.caught.map(({ to, subject, text }) => [to, subject, text.trim()]).sort(),
    ).toEqual([
      [['ada@example.org'], 'Visit of Ada', 'Hello Ada.'],
      [['ottilie@library.example.org'], 'Visit of Ada', 'Hello Ada.'],
    ]);
    expect((await byAddress()).get('anselm')).toMatchObject({
      state: 'failed',
      connection: '@mail',
    });
  });

  it('waits while the mail server is away, and then goes', async () => {
    await catcher.stop();
    await save({ name: 'Ada', mail: 'ada@example.org' });
    for (let i = 0; i < 14; i++) {
      await hurry();
      await deliverDue(held.db);
    }
    expect((await byAddress()).get('ada@example.org')).toMatchObject({
      state: 'waiting',
      tries: 14,
    });
    catcher = await catchMail(Number(new URL(catcher.address).port));
    await hurry();
    await deliverDue(held.db);
    expect(catcher.caught.some(({ to }) => to[0] === 'ada@example.org')).toBe(true);
    expect((await byAddress()).get('ada@example.org')?.state).toBe('sent');
  });

  it('is not tried again where the server refuses it for good, until somebody says so', async () => {
    trouble('refuses');
    await save({ name: 'Ada', mail: 'ada@example.org' });
    await deliverDue(held.db);
    const row = (await byAddress()).get('ada@example.org');
    expect(row).toMatchObject({ state: 'failed', tries: 1 });
    expect(row?.reason).toContain('Nobody lives here');
    trouble('none');
    await settleSend(held.db, row?.id ?? 0, 'retry');
    await deliverDue(held.db);
    expect((await byAddress()).get('ada@example.org')?.state).toBe('sent');
  });

  it('says that no server is set up, and keeps the message', async () => {
    process.env.UNISOR_MAIL_URL = '';
    await save({ name: 'Ada', mail: 'ada@example.org' });
    await deliverDue(held.db);
    const row = (await byAddress()).get('ada@example.org');
    expect(row).toMatchObject({ state: 'waiting', reason: 'No mail server is set up.' });
  });

  it('refuses a save whose address is none, at its field', async () => {
    const saved = save({ name: 'Ada', mail: 'ada@example.org\r\nBcc: all@example.org' });
    await expect(saved).rejects.toMatchObject({ problems: [{ path: 'mail' }] });
    expect(await listSends(held.db)).toEqual([]);
  });

  it('carries no line break of a value into its head', async () => {
    await save({ name: 'Ada Bcc: x@y.org', mail: 'ada@example.org' });
    await deliverDue(held.db);
    expect(catcher.caught[0]?.to).toHaveLength(1);
    expect(catcher.caught[0]?.subject).toBe('Visit of Ada Bcc: x@y.org');
  });
});
