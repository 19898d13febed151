import { demoMembers } from '../../demo/members';
import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { ProblemError } from '../../src/core/problems';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { loadTables, makeTable } from '../../src/server/catalog/tables';
import { pressButton } from '../../src/server/records/press-button';
import { keepConnection } from '../../src/server/outside/connections';
import { removeConnection, tellingForms } from '../../src/server/outside/uses';
import { allowHosts } from '../../src/server/outside/hosts';
import {
  countSends,
  deliverDue,
  listSends,
  noteSends,
  pauseAfter,
  settleSend,
} from '../../src/server/outside/outbox';
import { endPause } from '../../src/server/outside/system';
import { saveEntry } from '../../src/server/records/save';
import { serveSystems, type Simulators } from '../../simulators/server';
import type { Trouble } from '../../simulators/state';
import { memberRegister } from '../../simulators/systems';
import { plainGrid } from '../../src/core/plan/draft';
import { column, field, planOf, reference, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_outbox');
process.env.UNISOR_SECRET ??= 'a key for nothing but tests';
let simulators: Simulators;

beforeAll(async () => {
  simulators = await serveSystems([memberRegister(demoMembers())]);
  const host = new URL(simulators.address).host;
  await allowHosts(held.db, [host]);
  const reach = {
    kind: 'http' as const,
    base: `${simulators.address}/register`,
    headers: [],
    signIn: 'none' as const,
    user: '',
  };
  await keepConnection(
    held.db,
    { key: 'register', title: 'Register', note: '', reach },
    undefined,
    'test',
    'make',
  );
  await makeTable(held.db, table('report', [column('what'), counted]), 'test');
  const plan = planOf('report', [field('what', { savesTo: 'what' }), field('n', { savesTo: 'n' })]);
  const send = { connection: 'register', on: 'new' as const, method: 'POST' as const };
  const sends = [{ ...send, when: 'n > 0', address: 'notes', values: { what: 'what', n: 'n' } }];
  const steps = [{ ...tell, address: 'notes', values: { asks: 'what' } }];
  const buttons = [{ key: 'ask', label: 'Ask', when: 'what != null', steps }];
  const whole = { ...plan, sends, buttons };
  await makeForm(held.db, { table: 'report', key: 'report', plan: whole }, 'test');
  await publishForm(held.db, 'report', 1, 'test');
});
afterAll(() => simulators.stop());
beforeEach(async () => {
  await held.db.knex('outbox').withSchema(held.db.catalog).delete();
  endPause(held.db, 'register');
  endPause(held.db, 'notes');
  register().written.clear();
  trouble('none');
});

const counted = column('n', { type: { kind: 'whole' } });
const tell = { do: 'tell' as const, connection: 'register', method: 'POST' as const };
const register = () => simulators.systems.get('register')?.state ?? expect.fail('no register');
function trouble(what: Trouble, share = 100) {
  register().switches = { trouble: what, slow: 0, share };
}
const save = (values: object, submission: string = randomUUID()) =>
  saveEntry(held.db, 'report', { submission, edition: 1, values: { ...values } }, 'test');
/** Makes everything that waits due now. */
const hurry = () =>
  held.db
    .knex('outbox')
    .withSchema(held.db.catalog)
    .where({ state: 'waiting' })
    .update({ next_at: held.db.knex.raw('now(3)') });

describe('G10 a button that tells an outside system', () => {
  it('notes it once, worked out on the server, and only while the button is there', async () => {
    const tables = await loadTables(held.db);
    const submission = randomUUID();
    const push = (values: object, button = 'ask') =>
      pressButton(
        held.db,
        tables,
        'report',
        button,
        { submission, edition: 1, values: { ...values } },
        'test',
      );
    expect(await push({ what: 'bell' })).toBe(1);
    expect(await push({ what: 'bell' })).toBe(1);
    await deliverDue(held.db);
    expect([...register().written.values()]).toEqual([{ asks: 'bell' }]);
    await expect(push({})).rejects.toMatchObject({ status: 404 });
    await expect(push({ what: 'bell' }, 'other')).rejects.toMatchObject({ status: 404 });
  });
});

describe('H1 a system that forms tell something', () => {
  it('is not removed, and is told by which', async () => {
    expect(await tellingForms(held.db, 'register')).toEqual([
      { where: 'Form of report (saves, Ask)', href: '/forms/report/design' },
    ]);
    await expect(removeConnection(held.db, 'register')).rejects.toMatchObject({ status: 409 });
  });
});

describe('H5 what a save sends outside', () => {
  it('is noted with it and delivered afterwards, under a key of its own', async () => {
    const submission = randomUUID();
    await save({ what: 'bell', n: 2 }, submission);
    await save({ what: 'nothing to tell', n: 0 });
    expect(await countSends(held.db)).toMatchObject({ waiting: 1, sent: 0 });
    await deliverDue(held.db);
    expect([...register().written]).toEqual([[`${submission}-1`, { what: 'bell', n: '2' }]]);
    expect(await countSends(held.db)).toMatchObject({ waiting: 0, sent: 1 });
    expect(await deliverDue(held.db)).toBe(0);
  });

  it('is not there where the save was refused, and once where it was repeated', async () => {
    await expect(save({ what: 'x'.repeat(500), n: 1 })).rejects.toBeInstanceOf(ProblemError);
    const submission = randomUUID();
    await Promise.all([1, 2, 3, 4, 5].map(() => save({ what: 'bell', n: 1 }, submission)));
    expect(await countSends(held.db)).toMatchObject({ waiting: 1 });
  });

  it('waits while the system is away, is tried again with growing pauses, and is told why', async () => {
    await save({ what: 'bell', n: 1 });
    trouble('no answer');
    await deliverDue(held.db);
    const [first] = await listSends(held.db);
    expect(first).toMatchObject({ state: 'waiting', tries: 1 });
    expect(first?.reason).toContain('is not responding');
    expect(Date.parse(first?.nextAt ?? '')).toBeGreaterThan(Date.now());
    expect(await deliverDue(held.db)).toBe(0);
    trouble('none');
    await hurry();
    await deliverDue(held.db);
    expect((await listSends(held.db))[0]).toMatchObject({ state: 'sent', tries: 2, reason: null });
    expect([1, 2, 3, 20].map(pauseAfter)).toEqual([2000, 4000, 8000, 600_000]);
  });

  it('is not tried while its system is left alone, and that is no try', async () => {
    for (const what of ['one', 'two', 'three', 'four']) await save({ what, n: 1 });
    trouble('no answer');
    await deliverDue(held.db);
    await hurry();
    await deliverDue(held.db);
    const before = await listSends(held.db);
    register().served.length = 0;
    await hurry();
    await deliverDue(held.db);
    expect(register().served).toEqual([]);
    const after = await listSends(held.db);
    expect(after.map(({ tries }) => tries)).toEqual(before.map(({ tries }) => tries));
    trouble('none');
    endPause(held.db, 'register');
    await hurry();
    await deliverDue(held.db);
    expect(await countSends(held.db)).toMatchObject({ waiting: 0, sent: 4 });
  });

  it('goes to a database as a statement, once; what may pass is tried again, what is wrong is not', async () => {
    const url = new URL(held.url);
    const [host, port] = [url.hostname, Number(url.port)];
    const { knex, catalog } = held.db;
    await knex.raw(
      `create table if not exists ${catalog}.note (once varchar(80) primary key, what varchar(80))`,
    );
    await knex.raw(`create or replace user outbox_writer@'127.0.0.1' identified by 'hush-hush'`);
    await knex.raw(`grant insert on ${catalog}.note to outbox_writer@'127.0.0.1'`);
    const reach = {
      kind: 'sql' as const,
      host,
      port,
      database: catalog,
      user: 'outbox_writer',
      writes: true,
    };
    const named = { key: 'notes', title: 'Notes', note: '', reach };
    await allowHosts(held.db, [new URL(simulators.address).host, `${host}:${port}`]);
    await keepConnection(held.db, named, 'hush-hush', 'test', 'make');
    const send = (address: string) =>
      knex.transaction((trx) =>
        noteSends(
          held.db,
          trx,
          [{ connection: 'notes', method: 'SQL', address, body: { what: "it's" } }],
          { submission: randomUUID(), form: 'report', by: 'test' },
        ),
      );
    const states = async () => (await listSends(held.db)).map(({ state, tries }) => [state, tries]);

    await send('insert into note (once, what) values ({once}, {what})');
    await knex.raw(`alter user outbox_writer@'127.0.0.1' account lock`);
    await deliverDue(held.db);
    expect(await states()).toEqual([['waiting', 1]]);
    await knex.raw(`alter user outbox_writer@'127.0.0.1' account unlock`);
    await hurry();
    await deliverDue(held.db);
    expect(await states()).toEqual([['sent', 2]]);
    // The answer was lost, as it were: the same is sent again, and stands there once.
    await knex('outbox').withSchema(catalog).update({ state: 'waiting' });
    await hurry();
    await deliverDue(held.db);
    expect(await states()).toEqual([['sent', 3]]);
    const notes = await knex('note').withSchema(catalog).select('what');
    expect(notes).toEqual([{ what: "it's" }]);

    await send('insert into nowhere (what) values ({what})');
    await deliverDue(held.db);
    expect((await listSends(held.db))[0]).toMatchObject({ state: 'failed', tries: 1 });
  });

  it('is given up at once where the system refuses it; a person tries again, or gives up', async () => {
    await save({ what: 'bell', n: 1 });
    trouble('not found');
    await deliverDue(held.db);
    const [refused] = await listSends(held.db);
    expect(refused).toMatchObject({
      state: 'failed',
      reason: expect.stringContaining('status 404'),
    });
    trouble('none');
    await settleSend(held.db, refused?.id ?? 0, 'retry');
    await deliverDue(held.db);
    expect((await listSends(held.db))[0]?.state).toBe('sent');
    await expect(settleSend(held.db, refused?.id ?? 0, 'drop')).rejects.toBeInstanceOf(
      ProblemError,
    );
  });

  it('is taken once, though the answer was lost and it was sent again', async () => {
    await save({ what: 'bell', n: 1 });
    // The register takes it, but its answer never arrives.
    trouble('half an answer');
    await deliverDue(held.db);
    trouble('none');
    await hurry();
    await deliverDue(held.db);
    expect(register().served.filter(({ method }) => method === 'POST').length).toBeGreaterThan(1);
    expect(register().written.size).toBe(1);
  });

  it('is delivered by whoever comes first, however many try, and none of it twice', async () => {
    for (let n = 1; n <= 60; n++) await save({ what: `report ${n}`, n });
    register().served.length = 0;
    trouble('error 500', 30);
    for (let round = 0; round < 40; round++) {
      await Promise.all([deliverDue(held.db), deliverDue(held.db), deliverDue(held.db)]);
      if ((await countSends(held.db)).waiting === 0) break;
      await hurry();
    }
    expect(await countSends(held.db)).toMatchObject({ waiting: 0, failed: 0, sent: 60 });
    const taken = [...register().written.values()] as { n: string }[];
    expect(new Set(taken.map(({ n }) => n)).size).toBe(60);
    expect(taken).toHaveLength(60);
  });
});

describe('a button of a form with lines', () => {
  it('reads the lines of the form as they stand, and refuses what are none', async () => {
    const steps = [{ ...tell, address: 'notes', values: { all: 'sum(lines.n)' } }];
    const lines = [field('n', { savesTo: 'n' })];
    const plan = planOf('report', [field('what', { savesTo: 'what' })], {
      buttons: [{ key: 'ask', label: 'Ask', when: null, steps }],
    });
    const grid = plainGrid('report_line', 'report');
    const section = {
      key: 'lines',
      title: 'Lines',
      columns: 1 as const,
      grid,
      page: null,
      fields: lines,
    };
    const whole = { ...plan, sections: [...plan.sections, section] };
    await makeTable(held.db, table('report_line', [reference('report'), counted]), 'test');
    await makeForm(held.db, { table: 'report', key: 'lined', plan: whole }, 'test');
    await publishForm(held.db, 'lined', 1, 'test');
    const tables = await loadTables(held.db);
    const push = (rows: { key?: string; id?: number; values: { n: number } }[]) => {
      const request = { submission: randomUUID(), edition: 1, values: {}, rows: { lines: rows } };
      return pressButton(held.db, tables, 'lined', 'ask', request, 'test');
    };
    const two = [2, 3].map((n, i) => ({ key: `r${i}`, values: { n } }));
    expect(await push(two)).toBe(1);
    await deliverDue(held.db);
    expect([...register().written.values()]).toEqual([{ all: '5' }]);
    await expect(push([{ id: 7, values: { n: 1 } }])).rejects.toMatchObject({ status: 422 });
  });
});
