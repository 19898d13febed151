import fs from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { freePort, startMariadb, type OwnMariadb } from '../../scripts/mariadb.mjs';
import { startServer, type OwnServer } from '../../scripts/server.mjs';
import * as answers from '../../src/core/contract/answers';
import { endDatabase, openDatabase } from '../../src/server/database/connection';
import { migrate } from '../../src/server/database/migrate';
import { loanPlan } from '../support/definitions';
import { makeBorrowers } from '../support/house';
import { keeperCookie } from '../support/keeper';

let folder: string;
let database: OwnMariadb;
let server: OwnServer;
let cookie: string;

beforeAll(async () => {
  folder = fs.mkdtempSync(path.join(os.tmpdir(), 'unisor-http-'));
  database = await startMariadb(folder);
  const db = openDatabase(database.url);
  await migrate(db, database.url);
  await makeBorrowers(db);
  cookie = await keeperCookie(db);
  await endDatabase(db);
  server = await startServer({
    url: database.url,
    port: await freePort(),
    log: 'silent',
    output: 'ignore',
  });
}, 60_000);

afterAll(async () => {
  // Also where the beginning has failed half-way: nothing of it stays.
  await (server as OwnServer | undefined)?.stop();
  await (database as OwnMariadb | undefined)?.stop();
  fs.rmSync(folder, { recursive: true, force: true });
});

interface Answered {
  status: number;
  type: string;
  body: Record<string, unknown> & { problems?: { code: string; path: string; message: string }[] };
}

async function ask(
  method: string,
  address: string,
  body?: unknown,
  raw = false,
): Promise<Answered> {
  const response = await fetch(server.address + address, {
    method,
    headers: {
      ...{ origin: server.address, cookie },
      ...(body === undefined ? {} : { 'content-type': raw ? 'text/csv' : 'application/json' }),
    },
    body: body === undefined ? undefined : raw ? (body as string) : JSON.stringify(body),
  });
  const text = await response.text();
  const type = response.headers.get('content-type') ?? '';
  return {
    status: response.status,
    type,
    body: text === '' ? {} : JSON.parse(text.trim().split('\n').at(-1) ?? ''),
  };
}

const code = (answered: Answered) => answered.body.problems?.[0]?.code;

describe('an address where nothing is', () => {
  const at = (address: string, headers: Record<string, string>) =>
    fetch(server.address + address, { headers });

  it('is told to whom it may concern, in their language', async () => {
    const html = { accept: 'text/html' };
    const known = await at('/nowhere', { ...html, cookie });
    expect(known.status).toBe(404);
    const page = await known.text();
    expect(page).toContain('There is no page at this address.');
    expect(page).toContain('href="/tables"');
    const stranger = await (await at('/nowhere', { ...html, 'accept-language': 'de' })).text();
    expect(stranger).toContain('Unter dieser Adresse gibt es keine Seite.');
    expect(stranger).not.toContain('href="/tables"');
    expect((await at('/api/nowhere', { cookie })).status).toBe(404);
    expect((await at('/picture.png', { cookie, accept: 'image/png' })).status).toBe(404);
  });
});

describe('the HTTP contract', () => {
  it('a form goes from a table to a saved record', async () => {
    expect((await ask('GET', '/api/health')).body).toMatchObject({
      ...{ status: expect.stringMatching(/^(ok|worry)$/), database: 'ok' },
      worries: expect.not.arrayContaining(['backup_failed', 'outbox_failed']),
    });
    const made = await ask('POST', '/api/forms', { table: 'loan', key: 'lend', plan: loanPlan() });
    expect(made).toMatchObject({ status: 201, body: { key: 'lend', edition: 0, revision: 1 } });
    expect(await ask('POST', '/api/forms/lend/editions', { revision: 1 })).toMatchObject({
      status: 201,
      body: { edition: 1 },
    });
    const add = async (table: string, values: object) =>
      (await ask('POST', `/api/tables/${table}/records`, { values })).body.id as number;
    const region = await add('region', { name: 'North' });
    const town = await add('town', { name: 'Velden', region });
    const ensemble = await add('ensemble', { name: 'Winds', code: 'W', town });
    const asked = await ask('POST', '/api/forms/lend/read', {
      edition: 1,
      values: { region, town },
      asks: [{ id: 'mine', field: 'ensemble' }],
    });
    const answers = asked.body.answers as { id: string; choices: unknown[] }[];
    expect(answers.find((a) => a.id === 'mine')?.choices).toEqual([
      { value: ensemble, shown: ['Winds'] },
    ]);
    const entry = {
      submission: 'http-submission-1',
      edition: 1,
      values: { region, town, ensemble },
    };
    const saved = await ask('POST', '/api/forms/lend/entries', entry);
    expect(saved).toMatchObject({
      status: 201,
      body: { receipt: { records: [{ table: 'loan' }] } },
    });
    expect((await ask('POST', '/api/forms/lend/entries', entry)).body).toEqual(saved.body);
    const list = await ask('GET', '/api/tables/loan/records?limit=10');
    expect(list.body).toMatchObject({
      total: 1,
      next: null,
      records: [{ shown: { ensemble: 'Winds' } }],
    });
    expect((await ask('GET', '/api/forms')).body).toMatchObject([
      { key: 'lend', table: 'loan', edition: 1 },
    ]);
  });
});

describe('bad input gets a problem, never a stack', () => {
  it.each<[string, () => Promise<Answered>, number, string]>([
    [
      'an unknown form',
      () => ask('POST', '/api/forms/none/read', { edition: 1, values: {}, asks: [] }),
      404,
      'unknown_form',
    ],
    [
      'an unknown edition',
      () => ask('POST', '/api/forms/lend/read', { edition: 9, values: {}, asks: [] }),
      404,
      'unknown_edition',
    ],
    [
      'an unknown field',
      () =>
        ask('POST', '/api/forms/lend/read', {
          edition: 1,
          values: {},
          asks: [{ id: 'a', field: 'x' }],
        }),
      400,
      'unknown_field',
    ],
    [
      'an unknown value',
      () =>
        ask('POST', '/api/forms/lend/entries', {
          submission: 'abcdefgh',
          edition: 1,
          values: { x: 1 },
        }),
      422,
      'unknown_field',
    ],
    [
      'an unknown key',
      () =>
        ask('POST', '/api/forms/lend/entries', {
          submission: 'abcdefgh',
          edition: 1,
          values: {},
          extra: 1,
        }),
      400,
      'bad_request',
    ],
    [
      'neither edition nor draft',
      () => ask('POST', '/api/forms/lend/read', { values: {}, asks: [] }),
      400,
      'bad_request',
    ],
    [
      'a body that is no JSON',
      () => ask('POST', '/api/forms/lend/read', '{"edition": ', true),
      400,
      'not_json',
    ],
    ['no body', () => ask('POST', '/api/forms/lend/read'), 400, 'not_json'],
    [
      'a body of 10 MB',
      () => ask('POST', '/api/forms/lend/read', { values: { x: 'x'.repeat(10_000_000) } }),
      413,
      'too_large',
    ],
    ['an unknown table', () => ask('GET', '/api/tables/none/records'), 404, 'unknown_table'],
    [
      'a filter that is no JSON',
      () => ask('GET', '/api/tables/town/records?filter=('),
      400,
      'bad_request',
    ],
    [
      'a filter on no column',
      () =>
        ask(
          'GET',
          `/api/tables/town/records?filter=${encodeURIComponent('[{"path":"x","operator":"equal","values":[1]}]')}`,
        ),
      422,
      'unknown_column',
    ],
    [
      'a path that is SQL',
      () =>
        ask(
          'GET',
          `/api/tables/town/records?sort=${encodeURIComponent('[{"path":"id; drop table x"}]')}`,
        ),
      400,
      'bad_request',
    ],
    [
      'a cursor that is none',
      () => ask('GET', '/api/tables/town/records?after=zzz'),
      400,
      'bad_request',
    ],
    [
      'a record that is none',
      () => ask('GET', '/api/tables/town/records/0'),
      404,
      'unknown_record',
    ],
    [
      'a table without columns',
      () => ask('POST', '/api/tables', { key: 'a', title: 'A', columns: [], display: [] }),
      422,
      'no_columns',
    ],
    [
      'a plan with an unknown key',
      () => ask('PUT', '/api/forms/lend/draft', { revision: 1, plan: { ...loanPlan(), x: 1 } }),
      400,
      'bad_request',
    ],
    ['an empty file', () => ask('POST', '/api/imports/examine', ' ', true), 422, 'file_empty'],
    [
      'a file of no import',
      () => ask('PUT', '/api/imports/none/file', 'a\n1\n', true),
      200,
      'unknown_import',
    ],
  ])('%s', async (_, request, status, expected) => {
    const answered = await request();
    expect([answered.status, code(answered)]).toEqual([status, expected]);
    expect(answered.body.problems?.[0]?.message).not.toBe('');
    if (status !== 200) expect(answered.type).toContain('application/problem+json');
  });

  it('the last one is told in the stream, with its own status', async () => {
    const answered = await ask('PUT', '/api/imports/none/file', 'a\n1\n', true);
    expect(answered.body.status).toBe(404);
  });
});

describe('the database stopped while the server runs', () => {
  it('is said plainly, and all goes on when it is back', async () => {
    const { port } = database;
    await database.stop();
    const away = await ask('POST', '/api/forms/lend/read', {
      edition: 1,
      values: {},
      asks: [{ id: 'a', field: 'region' }],
    });
    expect([away.status, code(away)]).toEqual([503, 'database_away']);
    expect((await ask('GET', '/api/health')).status).toBe(503);
    database = await startMariadb(folder, { port });
    const back = await ask('POST', '/api/forms/lend/read', {
      edition: 1,
      values: {},
      asks: [{ id: 'a', field: 'region' }],
    });
    expect(back.status).toBe(200);
  });
});

describe('K3, G8 plans and editions over HTTP', () => {
  const plan = loanPlan();

  it('lists editions, gives each as it was, and refuses what is none', async () => {
    await ask('POST', '/api/forms', { key: 'look_back', table: 'loan', plan });
    expect((await ask('GET', '/api/forms/look_back/editions')).body).toEqual([]);
    await ask('POST', '/api/forms/look_back/editions', { revision: 1 });
    const listed = (await ask('GET', '/api/forms/look_back/editions')).body as unknown as object[];
    expect(listed).toMatchObject([{ number: 1, by: 'designer' }]);
    const first = await ask('GET', '/api/forms/look_back/editions/1');
    expect(first.body).toMatchObject({ edition: 1, plan: { title: plan.title } });
    for (const bad of ['2', '0', '-1', 'abc', '1e3', '9999999999']) {
      const refused = await ask('GET', `/api/forms/look_back/editions/${bad}`);
      expect(`${bad} ${refused.status} ${refused.body.problems?.[0]?.code}`).toBe(
        `${bad} 404 unknown_edition`,
      );
    }
  });

  it('gives the draft as a file, and the schema of such files', async () => {
    const response = await fetch(`${server.address}/api/forms/look_back/plan.json`, {
      headers: { cookie },
    });
    expect(response.headers.get('content-disposition')).toContain('look_back.plan.json');
    expect(await response.json()).toEqual(plan);
    const schema = await ask('GET', '/api/plan-schema.json');
    expect(schema.body).toMatchObject({ title: 'Unisor plan', type: 'object' });
  });

  it('says what the data know of a table and of a column, and where both are used', async () => {
    const known = await ask('GET', '/api/tables/ensemble/known');
    expect(known.body.records).toEqual(expect.arrayContaining([['town', expect.any(Number)]]));
    expect((await ask('GET', '/api/tables/none/known')).status).toBe(404);
    expect((await ask('GET', '/api/tables/ensemble/columns/none/matches')).status).toBe(404);
    const uses = await ask('GET', '/api/tables/town/uses?column=name');
    expect(JSON.stringify(uses.body)).toContain('look_back');
    expect((await ask('GET', '/api/tables/town/uses?what=1')).status).toBe(400);
    const removed = await ask('DELETE', '/api/tables/town/columns/name');
    expect([removed.status, removed.body.problems?.[0]?.code]).toEqual([409, 'column_in_use']);
  });

  it('refuses a plan with a formula that is too long, and asks of kinds that a field does not have', async () => {
    const [section] = plan.sections;
    const fields = section?.fields.map((f, i) =>
      i === 0 ? { ...f, computes: 'x'.repeat(5001) } : f,
    );
    const long = { ...plan, sections: [{ ...section, fields }] };
    const put = await ask('PUT', '/api/forms/look_back/draft', { revision: 1, plan: long });
    expect(put.status).toBe(400);
    for (const kind of ['record', 'value', 'key']) {
      const field = kind === 'key' ? 'number' : 'region';
      const asks = [{ id: 'a', kind, field, current: 'x' }];
      const read = await ask('POST', '/api/forms/look_back/read', { edition: 1, values: {}, asks });
      expect(`${kind} ${read.status} ${read.body.problems?.[0]?.code}`).toBe(
        `${kind} 400 no_choices`,
      );
    }
    const odd = [{ id: 'a', kind: 'everything', field: 'region' }];
    expect(
      (await ask('POST', '/api/forms/look_back/read', { edition: 1, values: {}, asks: odd }))
        .status,
    ).toBe(400);
  });
});

describe('the contract of answers', () => {
  it.each([
    ['/api/tables/town/records?limit=2', answers.recordsAnswer],
    ['/api/tables/town/uses?column=name', answers.usesAnswer],
    ['/api/tables/town/known', answers.knownAnswer],
    ['/api/tables/town/columns/name/matches', answers.matchesAnswer],
    ['/api/forms/look_back/draft', answers.draftAnswer],
    ['/api/forms/look_back/editions', answers.editionsAnswer],
    ['/api/forms/look_back/editions/1', answers.editionAnswer],
    ['/api/forms/look_back/new', answers.blankAnswer],
    ['/api/forms/look_back/reach', answers.reachAnswer],
  ])('GET %s', async (address, schema) => {
    const { status, body } = await ask('GET', address);
    expect(status).toBe(200);
    expect(schema.safeParse(body).error).toBeUndefined();
  });

  it('POST /read', async () => {
    const asks = [{ id: 'a', field: 'region', search: '' }];
    const request = { edition: 1, values: {}, asks };
    const { body } = await ask('POST', '/api/forms/look_back/read', request);
    expect(answers.readAnswer.parse(body).answers).toHaveLength(1);
  });

  it('POST a table, a record and a list', async () => {
    const column = { key: 'name', label: 'Name', type: { kind: 'text' } };
    const table = { key: 'shelf', title: 'Shelf', columns: [column], display: ['name'] };
    const made = await ask('POST', '/api/tables', table);
    expect(answers.tableAnswer.parse(made.body).key).toBe('shelf');
    const added = await ask('POST', '/api/tables/shelf/records', { values: { name: 'Low' } });
    expect(answers.recordAnswer.parse(added.body).values).toEqual({ name: 'Low' });
    const list = { key: 'heights', title: 'Heights', values: [{ value: 'low', label: 'Low' }] };
    await ask('POST', '/api/lists', list);
    const read = await ask('GET', '/api/lists/heights');
    expect(answers.listAnswer.parse(read.body).values).toHaveLength(1);
  });
});
