import { Validator } from '@seriousme/openapi-schema-validator';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { allDoors } from '../../src/server/access/doors';
import { allOperations } from '../../src/server/access/operations';
import { makeForm, publishForm } from '../../src/server/catalog/forms';
import { field, planOf } from '../support/definitions';
import { makeLending } from '../support/house';
import { sessionOf } from '../support/keeper';
import { ownHouse, send, type OwnHouse } from '../support/own-server';
import type { OwnServer } from '../../scripts/server.mjs';

interface Described {
  openapi: string;
  paths: Record<
    string,
    Record<
      string,
      {
        requestBody?: { content: Record<string, { schema: object }> };
        responses: Record<string, { content?: Record<string, { schema: object }> }>;
      }
    >
  >;
}

let house: OwnHouse;
let server: OwnServer & { cookie: string };
let described: Described;

beforeAll(async () => {
  house = await ownHouse('openapi');
  const { db } = house;
  await makeLending(db);
  const plan = planOf('region', [field('name', { savesTo: 'name', required: true })]);
  await makeForm(db, { key: 'region', table: 'region', plan }, 'test');
  await publishForm(db, 'region', 1, 'test');
  server = await house.serve();
  described = (await (await send(server, 'GET', '/api/openapi.json')).json()) as Described;
}, 120_000);

afterAll(async () => house.end());

const ajv = new Ajv2020({ strict: false, validateFormats: false });

/** Whether a value is what a schema of the description says; with what is wrong with it. */
function faults(schema: object, value: unknown): unknown {
  const valid = ajv.compile(schema);
  return valid(value) ? [] : valid.errors;
}

describe('K4 the API as OpenAPI', () => {
  it('is a valid description by an independent validator', async () => {
    expect(described.openapi).toBe('3.1.0');
    const { valid, errors } = await new Validator().validate(structuredClone(described) as never);
    expect(errors ?? []).toEqual([]);
    expect(valid).toBe(true);
  });

  it('has every route of the API', () => {
    const doors = allDoors().filter(({ route }) => route.startsWith('/api/'));
    expect(allOperations()).toHaveLength(doors.length);
    for (const { route, method } of doors) {
      const path = route.replace(/\[(\w+)\]/g, '{$1}');
      expect(described.paths[path]?.[method.toLowerCase()], `${method} ${route}`).toBeDefined();
    }
  });

  it('has each table and each form with columns and fields of its own', () => {
    const records = described.paths['/api/tables/ensemble/records'];
    expect(JSON.stringify(records?.post?.requestBody)).toContain('"contact"');
    const entries = described.paths['/api/forms/region/entries'];
    expect(JSON.stringify(entries?.post?.requestBody)).toContain('"name"');
  });

  it('says of every answer what stands in it', () => {
    const vague = Object.entries(described.paths).flatMap(([path, methods]) =>
      Object.entries(methods).flatMap(([method, { responses }]) => {
        const [, said] = Object.entries(responses).find(([status]) => /^2/.test(status)) ?? [];
        const json = said?.content?.['application/json']?.schema;
        return json && Object.keys(json).length === 0 ? [`${method} ${path}`] : [];
      }),
    );
    expect(vague).toEqual([]);
  });

  it('says of reads what they answer', async () => {
    const named: Record<string, string> = { table: 'ensemble', form: 'region', edition: '1' };
    const records = await (await send(server, 'GET', '/api/tables/ensemble/records')).json();
    const { id } = (records as { records: { id: number }[] }).records[0] ?? { id: 0 };
    let looked = 0;
    for (const [path, methods] of Object.entries(described.paths)) {
      const schema = methods.get?.responses['200']?.content?.['application/json']?.schema;
      if (!schema) continue;
      const address = path.replace(/\{(\w+)\}/g, (_, name: string) => named[name] ?? String(id));
      const response = await send(server, 'GET', `${address}?search=en`);
      if (response.status !== 200) continue;
      looked += 1;
      expect(faults(schema, await response.json()), path).toEqual([]);
    }
    expect(looked).toBeGreaterThan(25);
  });

  it('takes what it says, and refuses what it says is none', async () => {
    const path = '/api/tables/region/records';
    const schema = described.paths[path]?.post?.requestBody?.content['application/json']?.schema;
    for (const [values, fits] of [
      [{ name: 'North' }, true],
      [{ name: 5 }, false],
    ] as const) {
      expect(faults(schema ?? {}, { values })).toEqual(fits ? [] : expect.any(Array));
      expect((await send(server, 'POST', path, { values })).status).toBe(fits ? 201 : 422);
    }
    const answer = described.paths[path]?.post?.responses['201']?.content?.['application/json'];
    const made = await (await send(server, 'POST', path, { values: { name: 'South' } })).json();
    expect(faults(answer?.schema ?? {}, made)).toEqual([]);
    const refused = await send(server, 'POST', path, { values: { name: 5 } });
    const problem = described.paths[path]?.post?.responses.default?.content;
    expect(Object.keys(problem ?? {})).toEqual([refused.headers.get('content-type')]);
  });

  it('says of what designers change what comes of it', async () => {
    const said = (method: string, path: string) => {
      const { responses } = described.paths[path]?.[method] ?? { responses: {} };
      const [status, answer] = Object.entries(responses).find(([each]) => /^2/.test(each)) ?? [];
      return { status: Number(status), schema: answer?.content?.['application/json']?.schema };
    };
    const options = [{ value: 'a', label: 'A' }];
    const list = { key: 'tones', title: 'Tones', category: '', values: options };
    const reach = { kind: 'http', base: 'http://127.0.0.1:9/', headers: [] };
    const connection = { key: 'away', title: 'Away', note: '', reach };
    const query = {
      key: 'asked',
      title: 'Asked',
      connection: 'away',
      text: 'x',
      columns: [
        { key: 'n', label: 'N', path: 'n', type: { kind: 'text', format: 'plain', length: 20 } },
      ],
    };
    const column = {
      key: 'said',
      label: 'Said',
      type: { kind: 'text', format: 'plain', length: 20 },
      required: false,
      unique: false,
    };
    for (const [method, path, body, address = path] of [
      ['post', '/api/lists', list],
      ['put', '/api/outside-hosts', { hosts: ['127.0.0.1:9'] }],
      ['post', '/api/connections', connection],
      ['post', '/api/queries', query],
      ['post', '/api/forms', { table: 'town', title: 'Towns' }],
      ['post', '/api/tables/{table}/columns', column, '/api/tables/town/columns'],
      [
        'patch',
        '/api/tables/{table}/columns/{column}',
        { key: 'told' },
        '/api/tables/town/columns/said',
      ],
      [
        'put',
        '/api/tables/{table}/columns/{column}/type',
        { type: { kind: 'long_text' } },
        '/api/tables/town/columns/told/type',
      ],
      [
        'delete',
        '/api/tables/{table}/columns/{column}/type',
        undefined,
        '/api/tables/town/columns/told/type',
      ],
      [
        'delete',
        '/api/tables/{table}/columns/{column}',
        undefined,
        '/api/tables/town/columns/told',
      ],
    ] as const) {
      const response = await send(server, method.toUpperCase(), address, body);
      const { status, schema } = said(method, path);
      const answer: unknown = await response.json();
      expect([response.status, answer], `${method} ${address}`).toEqual([status, answer]);
      expect(faults(schema ?? expect.fail(path), answer), `${method} ${address}`).toEqual([]);
    }
  });

  it('tells somebody of the tables and forms that are theirs, and of no others', async () => {
    const cookie = await sessionOf(house.db, 'Nobody much', []);
    const told = await send({ ...server, cookie }, 'GET', '/api/openapi.json');
    const { paths } = (await told.json()) as Described;
    expect(paths['/api/tables/ensemble/records']).toBeUndefined();
    expect(paths['/api/forms/region/entries']).toBeUndefined();
    expect(JSON.stringify(paths)).not.toContain('contact');
  });

  it('gives what an edition takes as a JSON Schema of its own, by which the server goes', async () => {
    const at = '/api/forms/region/editions/1/entry-schema.json';
    const schema = (await (await send(server, 'GET', at)).json()) as object;
    const valid = new Ajv2020({ strict: false, validateFormats: false }).compile(schema);
    const entry = { submission: 'by-schema-0001', edition: 1, values: { name: 'Weald' } };
    for (const [body, fits] of [
      [entry, true],
      [{ ...entry, submission: undefined }, false],
      [{ ...entry, submission: 'by-schema-0002', edition: 2 }, false],
      [{ ...entry, submission: 'by-schema-0003', values: { name: 7 } }, false],
    ] as const) {
      const sent = JSON.parse(JSON.stringify(body)) as object;
      expect(valid(sent)).toBe(fits);
      const { status } = await send(server, 'POST', '/api/forms/region/entries', sent);
      expect(status < 300).toBe(fits);
    }
    const none = await send(server, 'GET', '/api/forms/region/editions/9/entry-schema.json');
    expect(none.status).toBe(404);
  });
});
