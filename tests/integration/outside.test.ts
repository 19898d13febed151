import { demoMembers } from '../../demo/members';
import { once } from 'node:events';
import net from 'node:net';
import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { randomUUID } from 'node:crypto';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import type { Offer } from '../../src/core/entry/asks';
import { Entry } from '../../src/core/entry/entry';
import { settle } from '../../src/core/entry/settle';
import { clockFrom } from '../../src/core/formula/clock';
import { querySchema, type Query } from '../../src/core/outside/query';
import { ProblemError } from '../../src/core/problems';
import { wireForm } from '../../src/core/wiring/form';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { loadTables, makeTable } from '../../src/server/catalog/tables';
import { askQuery, tryQuery } from '../../src/server/outside/ask';
import { noteFailure, noteSuccess, pausedFor } from '../../src/server/outside/breaker';
import {
  connectionToAsk,
  keepConnection,
  listConnections,
} from '../../src/server/outside/connections';
import { removeConnection, removeQuery } from '../../src/server/outside/uses';
import { allowHosts } from '../../src/server/outside/hosts';
import { keepQuery } from '../../src/server/outside/queries';
import { connectionStates, lastAsked, noteAsked } from '../../src/server/outside/lately';
import { trySystem } from '../../src/server/outside/reach';
import { writeSql } from '../../src/server/outside/sql';
import { endPause, pauseOf, reachSystem, type Reaching } from '../../src/server/outside/system';
import { readForm } from '../../src/server/records/form-read';
import { databaseReader } from '../../src/server/records/answers';
import { saveEntry } from '../../src/server/records/save';
import { serveSystems, type Simulators } from '../../simulators/server';
import type { Trouble } from '../../simulators/state';
import { memberRegister, valuationDesk } from '../../simulators/systems';
import { column, field, planOf, table } from '../support/definitions';
import { useDatabase } from '../support/house';

const held = useDatabase('t_outside');
const text = { kind: 'text', format: 'plain', length: 255 } as const;
let simulators: Simulators;
interface Place {
  host: string;
  port: number;
  user: string;
  password: string;
}
let own: Place;
/** The tests' own user, who may do everything. */
let owner: Place;
const hostsOfTests = () => [new URL(simulators.address).host, `${own.host}:${own.port}`];
process.env.UNISOR_SECRET = 'a key for nothing but tests';

beforeAll(async () => {
  simulators = await serveSystems([memberRegister(demoMembers()), valuationDesk()]);
  const url = new URL(held.url);
  own = {
    host: url.hostname,
    port: Number(url.port),
    user: url.username,
    password: decodeURIComponent(url.password),
  };
  // Users for outside may not read and write files; the tests' own may.
  const user = 'outside_asker';
  await held.db.knex.raw(`create or replace user ${user}@'127.0.0.1' identified by ?`, [
    own.password,
  ]);
  await held.db.knex.raw(`grant all privileges on t_outside.* to ${user}@'127.0.0.1'`);
  owner = own;
  own = { ...own, user };
  await allowHosts(held.db, [...hostsOfTests(), 'secret.example', '127.0.0.1:9']);
  await connect('register', `${simulators.address}/register`);
  await connect('valuation', `${simulators.address}/valuation`);
  for (const query of Object.values(queries)) await keepQuery(held.db, query, 'test', 'make');
  await makeTable(held.db, table('report', [column('type'), column('value')]), 'test');
});
afterAll(() => simulators.stop());
afterEach(() => {
  trouble('register', 'none');
  trouble('valuation', 'none');
  for (const key of ['register', 'valuation', 'away']) endPause(held.db, key);
});

function connect(key: string, base: string, secret?: string) {
  const signIn = secret === undefined ? ('none' as const) : ('token' as const);
  const reach = { kind: 'http' as const, base, headers: [], signIn, user: '' };
  return keepConnection(held.db, { key, title: key, note: '', reach }, secret, 'test', 'make');
}

function trouble(system: string, what: Trouble, slow = 0) {
  const state = simulators.systems.get(system)?.state;
  if (state) state.switches = { trouble: what, slow, share: 100 };
}

const query = (more: object) => querySchema.parse({ title: 'Q', limit: 1500, keeps: 0, ...more });
const code = { key: 'code', label: 'Code', type: text };
const queries = {
  member: query({
    key: 'member',
    connection: 'register',
    text: 'members/{code}',
    parameters: [code],
    columns: [
      { key: 'name', label: 'Name', path: 'name', type: text },
      { key: 'phone', label: 'Phone', path: 'contact.phone', type: text },
      { key: 'version', label: 'Version', path: 'version', type: { kind: 'whole' } },
    ],
  }),
  find: query({
    key: 'find',
    connection: 'register',
    text: 'members?search={words}&limit=200',
    rows: 'items',
    parameters: [{ ...code, key: 'words', required: false }],
    searches: 'words',
    columns: [
      { key: 'code', label: 'Code', path: 'code', type: text },
      { key: 'name', label: 'Name', path: 'name', type: text },
    ],
  }),
  value: query({
    key: 'value',
    connection: 'valuation',
    text: 'valuations?type={type}',
    keeps: 0,
    parameters: [{ ...code, key: 'type' }],
    columns: [{ key: 'value', label: 'Value', path: 'value', type: text }],
  }),
};

const codes = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('was not refused'),
    (error: unknown) => {
      if (error instanceof ProblemError) return error.problems.map(({ code }) => code);
      throw error;
    },
  );
type Left<T extends (db: never, tables: never, ...rest: never[]) => unknown> =
  Parameters<T> extends [unknown, unknown, ...infer Rest] ? Rest : never;
const asked = async (...rest: Left<typeof askQuery>) =>
  askQuery(held.db, await loadTables(held.db), ...rest);
const triedOut = async (...rest: Left<typeof tryQuery>) =>
  tryQuery(held.db, await loadTables(held.db), ...rest);
const reached = async <T>(
  key: string,
  reaching: Reaching,
  work: Parameters<typeof reachSystem<T>>[4],
) => reachSystem(held.db, await loadTables(held.db), key, reaching, work);
const member = (given = 'VTW-217', of: Query = queries.member) => asked(of, { code: given });

describe('H1 connections', () => {
  it('keep their secret encrypted, and give it to nobody but the one who asks', async () => {
    await connect('secret', 'http://secret.example', 'hush-hush');
    const [row] = await held.db
      .knex('connection')
      .withSchema(held.db.catalog)
      .where({ connection_key: 'secret' });
    expect(JSON.stringify(row)).not.toContain('hush-hush');
    expect(JSON.stringify(await listConnections(held.db))).not.toContain('hush');
    expect((await connectionToAsk(held.db, await loadTables(held.db), 'secret')).secret).toBe(
      'hush-hush',
    );
    await removeConnection(held.db, 'secret');
  });

  it('are not removed while queries use them, nor queries while forms do', async () => {
    expect(await codes(removeConnection(held.db, 'register'))).toEqual(['connection_in_use']);
    const plan = planOf('report', [
      field('type', { savesTo: 'type' }),
      field('value', {
        savesTo: 'value',
        outside: {
          query: 'value',
          column: 'value',
          given: [{ parameter: 'type', field: 'type', optional: false }],
        },
      }),
    ]);
    await makeForm(held.db, { table: 'report', key: 'report', plan }, 'test');
    await publishForm(held.db, 'report', 1, 'test');
    expect(await codes(removeQuery(held.db, 'value'))).toEqual(['query_in_use']);
  });

  it('reach a database with SELECT only', async () => {
    const { password, ...place } = own;
    const reach = { kind: 'sql' as const, ...place, database: 't_outside', writes: false };
    const named = { key: 'base', title: 'base', note: '', reach };
    await keepConnection(held.db, named, password, 'test', 'make');
    const sql = (statement: string, given: object = {}) =>
      triedOut(
        query({
          key: 'sql',
          connection: 'base',
          text: statement,
          parameters: [{ ...code, required: false }],
          columns: [{ key: 'n', label: 'N', path: 'n', type: text }],
        }),
        { ...given },
      );
    const many = ['a', 'b', 'c', 'd'].map((name) => `information_schema.collations ${name}`);
    const crossed = `select count(*) as n from ${many.join(', ')}`;
    expect((await sql('select {code} as n', { code: `x' or "1` })).rows?.rows).toEqual([
      { n: `x' or "1` },
    ]);
    expect(await codes(sql('select 1 as n; drop table setting'))).toEqual(['outside_refused']);
    expect(await codes(sql('with x as (select 1) delete from setting'))).toEqual([
      'outside_refused',
    ]);
    expect(await codes(sql(crossed))).toEqual(['outside_slow']);
    const file = path.join(os.tmpdir(), `unisor-${process.pid}-${Date.now()}.txt`);
    for (const into of ['into outfile', 'into dumpfile', 'into/* */ outfile', 'into\nOUTFILE']) {
      // Two dashes without a blank are none of a comment: 1 - (-1).
      for (const before of [
        'select 1 as n',
        'select 1--1 as n',
        '(select 1 as n) union select 2',
      ]) {
        const writing = `${before} ${into} '${file}'`;
        expect(await codes(sql(writing)), writing).toEqual(['select_only']);
        expect(fs.existsSync(file), writing).toBe(false);
      }
    }
    expect(await codes(sql('select 1 as n into @kept'))).toEqual(['select_only']);
    // What only reads is none of it, whatever it is made of.
    for (const reading of [
      'select 1--1 as n',
      '(select 1 as n) union (select 2) order by 1 -- into it',
      'with recursive c as (select 1 as n union all select n + 1 from c where n < 5) select n from c',
      'select a.name as n, b.name from setting a join setting b using (name) limit 1',
      `select group_concat(distinct name order by 1 separator ' into ') as n from setting`,
      'select row_number() over (order by name) as n from setting',
    ]) {
      expect((await sql(reading)).rows?.rows.length, reading).toBeGreaterThan(0);
    }
    for (const reaching of [
      `select load_file('/etc/hostname') as n`,
      `select get_lock('a', 1) as n`,
      'select key_name as n from setting for update',
      `select 1 as n /*! into outfile '${file}' */`,
    ]) {
      expect(await codes(sql(reaching)), reaching).toEqual(['select_only']);
    }
    expect((await sql(`select 'put into it' as n`)).rows?.rows).toEqual([{ n: 'put into it' }]);
    await allowHosts(held.db, [new URL(simulators.address).host]);
    expect(await codes(sql('select 1 as n'))).toEqual(['outside_host_refused']);
  });

  it('ask no database as a user who may read and write its files', async () => {
    await allowHosts(held.db, hostsOfTests());
    const { password, ...place } = owner;
    const reach = { kind: 'sql' as const, ...place, database: 't_outside', writes: false };
    const named = { key: 'mighty', title: 'Mighty', note: '', reach };
    await keepConnection(held.db, named, password, 'test', 'make');
    const all = { key: 'all', connection: 'mighty', text: 'select 1 as n' };
    const columns = [{ key: 'n', label: 'N', path: 'n', type: text }];
    expect(await codes(triedOut(query({ ...all, columns }), {}))).toEqual(['outside_file_right']);
  });

  it('are given up in time where a database holds its connection open and says nothing', async () => {
    const silent = net.createServer(() => undefined).listen(0, '127.0.0.1');
    await once(silent, 'listening');
    const { port } = silent.address() as net.AddressInfo;
    await allowHosts(held.db, [...hostsOfTests(), `127.0.0.1:${port}`]);
    const place = { host: '127.0.0.1', port, user: 'x', database: 'x', writes: false };
    const named = {
      key: 'silent',
      title: 'S',
      note: '',
      reach: { kind: 'sql' as const, ...place },
    };
    await keepConnection(held.db, named, 'x', 'test', 'make');
    const columns = [{ key: 'n', label: 'N', path: 'n', type: text }];
    const silence = query({
      ...{ key: 's', connection: 'silent', text: 'select 1 as n', columns, limit: 300 },
    });
    const began = Date.now();
    const given = await codes(triedOut(silence, {}));
    expect(['outside_slow', 'outside_away']).toContain(given[0]);
    expect(Date.now() - began).toBeLessThan(3000);
    silent.close();
  });

  it('read no more rows than are shown, however many there are', async () => {
    await allowHosts(held.db, hostsOfTests());
    const { password, ...place } = own;
    const reach = { kind: 'sql' as const, ...place, database: 't_outside', writes: false };
    await keepConnection(
      held.db,
      { key: 'many', title: 'Many', note: '', reach },
      password,
      'test',
      'make',
    );
    const columns = [{ key: 'n', label: 'N', path: 'n', type: { kind: 'whole' } as const }];
    const sequence = (to: number, what: string) =>
      triedOut(
        query({
          ...{ key: 'q', connection: 'many', columns, limit: 5000 },
          text: `with recursive s (n) as (select 1 union all select n + 1 from s where n < ${to}) select n, ${what} as t from s`,
        }),
        {},
      );
    await held.db.knex.raw('set global max_recursive_iterations = 10000000');
    const { rows } = await sequence(100_000, "'x'");
    expect(rows?.rows).toHaveLength(2000);
    expect(rows?.left).toBeGreaterThan(0);
    expect(await codes(sequence(1500, "repeat('x', 10000)"))).toEqual(['outside_too_large']);
  });

  it('lose their secret where they are turned to another system', async () => {
    await allowHosts(held.db, [...hostsOfTests(), 'other.example']);
    await connect('turned', `${simulators.address}/register`, 'hush-hush');
    const to = (base: string, secret?: string) => {
      const reach = {
        kind: 'http' as const,
        base,
        headers: [],
        signIn: 'token' as const,
        user: '',
      };
      const named = { key: 'turned', title: 'turned', note: '', reach };
      return keepConnection(held.db, named, secret, 'test', 'change');
    };
    expect((await to(`${simulators.address}/register/`)).hasSecret).toBe(true);
    expect((await to('http://other.example/register')).hasSecret).toBe(false);
    expect((await to('http://other.example/v2', 'new one')).hasSecret).toBe(true);
    // A host that may not be asked is refused as it is typed.
    expect(await codes(to('http://evil.example/'))).toEqual(['outside_host_refused']);
  });

  it('write to a database only where that is allowed, within one statement, and once', async () => {
    const { password, ...place } = own;
    const reach = { kind: 'sql' as const, ...place, database: 't_outside', writes: true };
    await allowHosts(held.db, hostsOfTests());
    const named = { key: 'writer', title: 'writer', note: '', reach };
    await keepConnection(held.db, named, password, 'test', 'make');
    await held.db.knex.raw(
      'create table if not exists t_outside.note (once varchar(80) primary key, what varchar(80))',
    );
    const write = (text: string, values: Record<string, string>, writes = true) =>
      reached('writer', { query: null, limit: 1500, again: false }, (reached) =>
        writeSql({ ...reach, writes }, text, values, reached),
      );
    const insert = 'insert into note (once, what) values ({once}, {what})';
    const values = { once: 'k1', what: `'); drop table note; --` };
    await write(insert, values);
    await write(insert, values);
    const notes = await held.db.knex('note').withSchema('t_outside').select();
    expect(notes).toEqual([values]);
    expect(await codes(write(insert, values, false))).toEqual(['outside_read_only']);
    expect(await codes(write('drop table note', {}))).toEqual(['writing_only']);
    expect(await codes(write(`${insert}; drop table note`, { ...values, once: 'k2' }))).toEqual([
      'outside_refused',
    ]);
    // Without the key that is the same at each try, what is there already is refused as it is.
    expect(await codes(write(`insert into note (once) values ('k1')`, {}))).toEqual([
      'outside_refused',
    ]);
  });

  it('read a CSV file', async () => {
    const reach = { kind: 'file' as const, text: 'code,name\n0042,Lantern\n7,Ferry\n' };
    await keepConnection(
      held.db,
      { key: 'file', title: 'file', note: '', reach },
      undefined,
      'test',
      'make',
    );
    const columns = [
      { key: 'code', label: 'Code', path: 'code', type: text },
      { key: 'n', label: 'N', path: 'code', type: { kind: 'whole' } },
    ];
    const { rows } = await triedOut(query({ key: 'f', connection: 'file', columns }), {});
    expect(rows?.rows).toEqual([
      { code: '0042', n: 42 },
      { code: '7', n: 7 },
    ]);
  });
});

describe('H5 an outside system that', () => {
  it('answers gives rows', async () => {
    const { rows, at } = await member();
    expect(rows[0]).toMatchObject({ name: 'Velden Town Winds', version: 1 });
    expect(Date.parse(at)).toBeGreaterThan(0);
  });

  it.each<[Trouble, string]>([
    ['error 500', 'outside_status'],
    ['web page', 'outside_not_json'],
    ['half an answer', 'outside_not_json'],
    ['no answer', 'outside_away'],
    ['large answer', 'outside_too_large'],
    ['elsewhere', 'outside_host_refused'],
  ])('answers with trouble (%s) is told so', async (what, expected) => {
    trouble('register', what);
    expect(await codes(member())).toEqual([expected]);
  });

  it('has nothing there gives no row', async () => {
    expect((await member('NO-SUCH')).rows).toEqual([]);
  });

  it('answers with other types than before gives absent values', async () => {
    trouble('register', 'other types');
    const { rows, misfits } = await member();
    expect(rows).toEqual([{ name: null, phone: null, version: null }]);
    expect(misfits).toEqual(['Name', 'Phone', 'Version']);
  });

  it('answers with 10,000 rows gives the first 2,000', async () => {
    trouble('register', 'many rows');
    const { rows, left } = await asked(queries.find, {});
    expect([rows.length, left]).toEqual([2000, 8000]);
  });

  it('is slow is waited for so long and no longer', async () => {
    trouble('register', 'none', 4000);
    const began = Date.now();
    expect(await codes(member('VTW-217', { ...queries.member, limit: 300 }))).toEqual([
      'outside_slow',
    ]);
    expect(Date.now() - began).toBeLessThan(3000);
  });

  it('is down is asked twice, and after three times left alone for a while', async () => {
    await allowHosts(held.db, [...hostsOfTests(), '127.0.0.1:9']);
    await connect('away', 'http://127.0.0.1:9');
    const away = { ...queries.member, connection: 'away' };
    for (let n = 0; n < 3; n++) expect(await codes(member('x', away))).toEqual(['outside_away']);
    expect(await codes(member('x', away))).toEqual(['outside_paused']);
    await expect.poll(() => lastAsked(held.db, 'away')).toHaveLength(3);
    const last = await lastAsked(held.db, 'away');
    expect(last[0]?.failed).toContain('is not responding');
  });

  it('is asked at once again where a person wants to see, and says how it answers', async () => {
    await allowHosts(held.db, [...hostsOfTests(), '127.0.0.1:9']);
    await connect('asleep', 'http://127.0.0.1:9');
    const trying = () => reached('asleep', { query: null, limit: 1500, again: false }, trySystem);
    for (let n = 0; n < 3; n++) expect(await codes(trying())).toEqual(['outside_away']);
    expect(await codes(trying())).toEqual(['outside_paused']);
    expect(pauseOf(held.db, 'asleep')).toBeGreaterThan(0);
    endPause(held.db, 'asleep');
    expect(await codes(trying())).toEqual(['outside_away']);
    const well = { query: null, limit: 1500, again: false };
    const { gave } = await reached('register', well, trySystem);
    expect(gave).toBe('answers; its base address gives status 404');
  });

  it('is paused for longer each time, and at once asked again when it answers', () => {
    const name = 'somebody';
    const pauses = Array.from({ length: 8 }, () => {
      noteFailure(name, 0);
      return pausedFor(name, 0);
    });
    expect(pauses).toEqual([0, 0, 5000, 10_000, 20_000, 40_000, 60_000, 60_000]);
    noteSuccess(name);
    expect(pausedFor(name, 0)).toBe(0);
  });
});

describe('H1 how a connection answered', () => {
  it('is remembered for its page: the last three hundred times, without what was asked', async () => {
    for (let n = 0; n < 400; n++) {
      const failed = n === 399 ? 'Noted is not responding.' : null;
      noteAsked(held.db, { connection: 'noted', query: 'member', took: n, failed });
    }
    const last = await lastAsked(held.db, 'noted', 1000);
    expect(last).toHaveLength(300);
    expect(last[0]).toMatchObject({
      query: 'member',
      took: 399,
      failed: 'Noted is not responding.',
    });
    expect(last.at(-1)?.took).toBe(100);
    const state = (await connectionStates(held.db)).get('noted');
    expect(state).toMatchObject({ asked: 300, lastFailed: 'Noted is not responding.' });
    expect(Date.parse(state?.lastAt ?? '')).toBeGreaterThan(Date.now() - 60_000);
  });
});

describe('H2 parameters that mean harm', () => {
  it.each([`a' or 1=1 --`, '../notes', 'x/../../valuation', 'a\r\nx-evil: 1', 'a?b&c#d', '%2e%2e'])(
    'reach the system as they are: %s',
    async (given) => {
      expect((await member(given)).rows).toEqual([]);
      const [last] = simulators.systems.get('register')?.state.served ?? [];
      expect(last?.path).toBe(`/register/members/${encodeURIComponent(given)}`);
    },
  );

  it('are refused where they are missing or of another type', async () => {
    expect(await codes(asked(queries.member, {}))).toEqual(['parameter_bad']);
    const whole = {
      ...queries.member,
      parameters: [{ ...code, type: { kind: 'whole' } }],
    } as Query;
    expect(await codes(member('many', whole))).toEqual(['parameter_bad']);
  });
});

describe('H6 an answer', () => {
  it('is used again for as long as the query says, and no longer', async () => {
    const state = simulators.systems.get('register')?.state;
    const served = () => state?.served.length;
    if (state) state.served.length = 0;
    const lasting = { ...queries.member, keeps: 100 };
    const [first, second] = [await member('VTW-217', lasting), await member('VTW-217', lasting)];
    expect([served(), second.at]).toEqual([1, first.at]);
    await member();
    await member();
    expect(served()).toBe(3);
  });

  it('is asked for once where several want it at the same time', async () => {
    const state = simulators.systems.get('register')?.state;
    if (state) state.served.length = 0;
    trouble('register', 'none', 100);
    await Promise.all(Array.from({ length: 10 }, () => member('QLO-219')));
    expect(state?.served.length).toBe(1);
  });
});

describe('outside values in a form', () => {
  const save = (values: object) =>
    saveEntry(
      held.db,
      'report',
      { submission: randomUUID(), edition: 1, values: { ...values } },
      'test',
    );
  const read = async (values: object) => {
    const tables = await loadTables(held.db);
    const { plan } = await (
      await import('../../src/server/catalog/forms')
    ).loadEdition(held.db, 'report');
    const asks = [{ id: 'v', kind: 'value' as const, field: 'value' }];
    const [answer] = await readForm(held.db, tables, plan, { values: { ...values }, asks });
    return answer;
  };

  it('are read, with the moment at which they were', async () => {
    expect(await read({ type: 'Viola' })).toMatchObject({
      value: expect.stringMatching(/^\d+\.\d\d$/),
    });
  });

  it('that are not of their type any more are told so, not taken for none', async () => {
    trouble('valuation', 'other types');
    expect(await read({ type: 'Bassoon' })).toMatchObject({
      failed: { code: 'outside_unreadable', path: 'value' },
    });
  });

  it('that fail are answers too, and stop nothing', async () => {
    trouble('valuation', 'error 500');
    expect(await read({ type: 'Cello' })).toMatchObject({ failed: { code: 'outside_status' } });
    await save({ type: 'Cello' });
  });

  it('that are chosen by searching are confirmed, though they are on no page of the whole list', async () => {
    const narrow = querySchema.parse({
      ...queries.find,
      key: 'few',
      text: 'members?search={words}&limit=5',
    });
    await keepQuery(held.db, narrow, 'test', 'make');
    const shown = ['code', 'name'];
    const choices = { kind: 'outside' as const, query: 'few', stores: 'code', shown };
    const plan = planOf('report', [
      field('type', { savesTo: 'type', choices: { ...choices, given: [], takeOnly: false } }),
    ]);
    const tables = await loadTables(held.db);
    const ask = async (values: object, more: object = {}) => {
      const asks = [{ id: 'c', kind: 'list' as const, field: 'type', ...more }];
      const [answer] = await readForm(held.db, tables, plan, { values: { ...values }, asks });
      return answer as { choices: { value: string }[]; current: { value: string } | null };
    };
    const { choices: found } = await ask({}, { search: 'velden town' });
    expect(found.map(({ value }) => value)).toEqual(['VTW-217']);
    expect((await ask({ type: 'VTW-217' })).current?.value).toBe('VTW-217');
    expect((await ask({ type: 'NO-SUCH' })).current).toBeNull();
  });

  it('are listed page by page, as the system gives them, and searched over all of them', async () => {
    const paged = querySchema.parse({
      ...queries.find,
      key: 'paged',
      text: 'members?offset={skip}&limit=60',
      parameters: [{ key: 'skip', label: 'Skip', type: { kind: 'whole' }, required: false }],
      searches: null,
      pages: { parameter: 'skip', by: 'rows', total: 'total' },
      keeps: 60,
    });
    await keepQuery(held.db, paged, 'test', 'make');
    const choices = { kind: 'outside' as const, query: 'paged', stores: 'code', shown: ['code'] };
    const plan = planOf('report', [
      field('type', { savesTo: 'type', choices: { ...choices, given: [], takeOnly: false } }),
    ]);
    const tables = await loadTables(held.db);
    const ask = async (more: object, values: object = {}) => {
      const asks = [{ id: 'c', kind: 'list' as const, field: 'type', limit: 50, ...more }];
      const [answer] = await readForm(held.db, tables, plan, { values: { ...values }, asks });
      return answer as Offer;
    };
    const seen: unknown[] = [];
    let after: string | null = null;
    do {
      const offer: Offer = await ask(after === null ? {} : { after });
      expect([offer.found, offer.more]).toEqual([420, false]);
      seen.push(...offer.choices.map(({ value }) => value));
      after = offer.next;
    } while (after !== null);
    expect([seen.length, new Set(seen).size]).toEqual([420, 420]);
    const last = seen.at(-1);
    expect((await ask({ search: String(last) })).choices.map(({ value }) => value)).toEqual([last]);
    expect((await ask({}, { type: last })).current?.value).toBe(last);
  });

  it('that a chosen row brings along follow the choice, live and kept', async () => {
    const choices = { kind: 'outside' as const, query: 'find', stores: 'code', shown: ['name'] };
    const bring = { by: null, editable: false };
    const plan = planOf('report', [
      field('type', {
        savesTo: 'type',
        choices: { ...choices, given: [], takeOnly: false },
        brings: [
          { ...bring, path: 'name', into: null, keeps: 'live' },
          { ...bring, path: 'name', into: 'value', keeps: 'kept' },
        ],
      }),
      field('value', { savesTo: 'value' }),
    ]);
    const tables = await loadTables(held.db);
    const form = wireForm(plan, tables);
    const around = { clock: clockFrom(() => new Date()), person: { name: 'test' } };
    const entry = new Entry(form, { mode: 'new', around });
    const reader = databaseReader(held.db, held.db.knex, tables, form);
    entry.set('type', 'VTW-217');
    await settle(entry, reader);
    expect(entry.value('value')).toBe('Velden Town Winds');
    expect(entry.cell('type').columns.values).toEqual({ name: 'Velden Town Winds' });
    trouble('register', 'error 500');
    entry.set('type', 'QLO-219');
    await settle(entry, reader);
    // A system that fails brings nothing, and stops nothing.
    expect([entry.value('value'), entry.problems()]).toEqual([null, []]);
    expect(entry.cell('type').questions.get('record')?.failed?.code).toBe('outside_status');
  });

  it('are not saved while nobody can say whether they are offered, and then are', async () => {
    await makeTable(held.db, table('guest', [column('code'), column('note')]), 'test');
    const choices = { kind: 'outside' as const, query: 'find', stores: 'code', shown: ['code'] };
    const plan = planOf('guest', [
      field('code', { savesTo: 'code', choices: { ...choices, given: [], takeOnly: false } }),
      field('note', { savesTo: 'note' }),
      field('also', { choices: { ...choices, given: [], takeOnly: false } }),
    ]);
    await makeForm(held.db, { table: 'guest', key: 'guest', plan }, 'test');
    await publishForm(held.db, 'guest', 1, 'test');
    const keep = (values: object, record?: { id: number; version: number }) => {
      const request = { submission: randomUUID(), edition: 1, values: { ...values }, record };
      return saveEntry(held.db, 'guest', record ? { ...request, record } : request, 'test');
    };
    expect(await codes(keep({ code: 'NO-SUCH' }))).toEqual(['not_offered']);
    trouble('register', 'error 500');
    const refused = await keep({ code: 'VTW-217' }).catch((error: unknown) => error);
    expect((refused as ProblemError).problems).toMatchObject([
      { path: 'code', code: 'outside_status' },
    ]);
    trouble('register', 'none');
    const { records } = await keep({ code: 'VTW-217' });
    trouble('register', 'error 500');
    // What stands there already, or is not saved, waits for nobody.
    endPause(held.db, 'register');
    const id = records[0]?.id ?? 0;
    await keep({ code: 'VTW-217', note: 'called', also: 'QLO-219' }, { id, version: 1 });
    const [row] = await held.db.knex('guest').withSchema(held.db.records).select();
    expect(row).toMatchObject({ code: 'VTW-217', note: 'called' });
  });

  it('are worked out anew when they are saved; a forged one is refused', async () => {
    const { value } = (await read({ type: 'Viola' })) as { value: string };
    await save({ type: 'Viola', value });
    expect(await codes(save({ type: 'Viola', value: '1.00' }))).toEqual(['value_changed']);
  });
});
