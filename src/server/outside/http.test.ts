import http, { type IncomingHttpHeaders } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { connectionSchema } from '$lib/core/outside/query';
import { ProblemError } from '$lib/core/problems';
import { askHttp, type HttpSending } from './http';
import type { Reached } from './system';

interface Seen {
  method: string;
  path: string;
  headers: IncomingHttpHeaders;
  body: string;
}

/** A server that answers by its path, and remembers what it was asked. */
class Station {
  seen: Seen[] = [];
  address = '';
  readonly #server = http.createServer((request, response) => {
    const parts: Buffer[] = [];
    request.on('data', (part: Buffer) => parts.push(part));
    request.on('end', () => {
      const { method = '', url = '', headers } = request;
      this.seen.push({ method, path: url, headers, body: Buffer.concat(parts).toString() });
      const [status = 200, type = 'application/json', body = '{}', location = ''] =
        this.answers.get(url) ?? [];
      response.writeHead(status, {
        ...(type ? { 'content-type': type } : {}),
        ...(location ? { location } : {}),
        etag: '"7"',
      });
      response.end(body);
    });
  });
  answers = new Map<string, [status?: number, type?: string, body?: string, location?: string]>();

  async start(): Promise<void> {
    await new Promise<void>((done) => this.#server.listen(0, '127.0.0.1', done));
    this.address = `http://127.0.0.1:${(this.#server.address() as AddressInfo).port}`;
  }

  stop(): void {
    this.#server.close();
    this.#server.closeAllConnections();
  }
}

const [first, second] = [new Station(), new Station()];
beforeAll(() => Promise.all([first.start(), second.start()]));
afterAll(() => [first, second].forEach((station) => station.stop()));
beforeEach(() => {
  for (const station of [first, second]) [station.seen, station.answers] = [[], new Map()];
});

interface Way {
  signIn?: 'none' | 'token' | 'basic';
  secret?: string | null;
  hosts?: string[];
  headers?: { name: string; value: string }[];
}

function ask(path: string, { hosts, secret = null, ...way }: Way = {}, sending?: HttpSending) {
  const reach = connectionSchema.parse({ kind: 'http', base: first.address, user: 'ada', ...way });
  if (reach.kind !== 'http') throw new Error('no HTTP');
  const reached: Reached = {
    connection: { key: 'c', title: 'Station', note: '', reach },
    secret,
    hosts: hosts ?? [new URL(first.address).host],
    signal: AbortSignal.timeout(3000),
    limit: 3000,
  };
  return askHttp(reach, `${first.address}${path}`, reached, sending);
}

const codeOf = (work: Promise<unknown>) =>
  work.then(
    () => expect.fail('was not refused'),
    (error: unknown) => (error instanceof ProblemError ? error.problems[0]?.code : String(error)),
  );
const both = () => [new URL(first.address).host, new URL(second.address).host];

describe('H1 a request to an outside system', () => {
  it.each<[Way['signIn'], string | undefined]>([
    ['none', undefined],
    ['token', 'Bearer hush'],
    ['basic', `Basic ${Buffer.from('ada:hush').toString('base64')}`],
  ])('signs in as designed: %s', async (signIn, expected) => {
    await ask('/x', { signIn, secret: 'hush' });
    expect(first.seen[0]?.headers.authorization).toBe(expected);
  });

  it('signs in with nothing while no secret is kept', async () => {
    await ask('/x', { signIn: 'token' });
    expect(first.seen[0]?.headers.authorization).toBeUndefined();
  });

  it('carries the headers of its connection, and wants JSON', async () => {
    await ask('/x', { headers: [{ name: 'X-Library', value: 'Corranmoor' }] });
    expect(first.seen[0]?.headers).toMatchObject({
      'x-library': 'Corranmoor',
      accept: 'application/json',
    });
  });

  it('sends a body as JSON, with its own headers, and gives status, version and answer', async () => {
    first.answers.set('/notes', [201, 'application/json', '{"taken":true}']);
    const headers = { 'idempotency-key': 'k-1' };
    const answer = await ask('/notes', {}, { method: 'POST', headers, body: { what: 'bell' } });
    expect(answer).toEqual({ status: 201, etag: '"7"', body: { taken: true } });
    expect(first.seen[0]).toMatchObject({
      method: 'POST',
      body: '{"what":"bell"}',
      headers: { 'idempotency-key': 'k-1', 'content-type': 'application/json' },
    });
  });

  it('is answered with nothing where there is nothing, also where a failure is told in prose', async () => {
    first.answers.set('/empty', [204, '', '']);
    first.answers.set('/prose', [503, 'text/html', '<h1>Closed</h1>']);
    expect((await ask('/empty')).body).toBeNull();
    expect(await ask('/prose')).toMatchObject({ status: 503, body: null });
    first.answers.set('/page', [200, 'text/html', '<h1>Welcome</h1>']);
    expect(await codeOf(ask('/page'))).toBe('outside_not_json');
  });
});

describe('H1 only hosts that are allowed are reached', () => {
  it('by name with its port, or by name alone', async () => {
    expect((await ask('/x', { hosts: ['127.0.0.1'] })).status).toBe(200);
    expect(await codeOf(ask('/x', { hosts: [] }))).toBe('outside_host_refused');
    expect(await codeOf(ask('/x', { hosts: ['127.0.0.1:1'] }))).toBe('outside_host_refused');
    expect(await codeOf(ask('/x', { hosts: ['27.0.0.1', '0.0.1'] }))).toBe('outside_host_refused');
    expect(first.seen).toHaveLength(1);
  });

  it('also where one sends to another: an allowed one is asked, without what signs in to the first', async () => {
    first.answers.set('/moved', [302, '', '', `${second.address}/there`]);
    second.answers.set('/there', [200, 'application/json', '{"n":1}']);
    const { body } = await ask('/moved', { hosts: both(), signIn: 'token', secret: 'hush' });
    expect(body).toEqual({ n: 1 });
    expect(first.seen[0]?.headers.authorization).toBe('Bearer hush');
    expect(second.seen[0]?.headers.authorization).toBeUndefined();
    expect(await codeOf(ask('/moved'))).toBe('outside_host_refused');
    expect(second.seen).toHaveLength(1);
  });

  it('is not led to a file, nor round and round', async () => {
    first.answers.set('/file', [302, '', '', 'file:///etc/passwd']);
    first.answers.set('/round', [302, '', '', '/round']);
    expect(await codeOf(ask('/file'))).toBe('outside_host_refused');
    expect(await codeOf(ask('/round'))).toBe('outside_status');
    expect(first.seen.filter(({ path }) => path === '/round')).toHaveLength(4);
  });

  it('keeps signing in where it is sent on within the same host', async () => {
    first.answers.set('/old', [301, '', '', '/new']);
    await ask('/old', { signIn: 'token', secret: 'hush' });
    expect(first.seen.map(({ headers }) => headers.authorization)).toEqual([
      'Bearer hush',
      'Bearer hush',
    ]);
  });

  it('takes neither its own headers nor what signs in along to another system', async () => {
    const headers = [{ name: 'x-tenant', value: 'quist' }];
    const hosts = [new URL(first.address).host, new URL(second.address).host];
    first.answers.set('/away', [302, '', '', `${second.address}/here`]);
    await ask('/away', { signIn: 'token', secret: 'hush', headers, hosts });
    expect(first.seen[0]?.headers).toMatchObject({ 'x-tenant': 'quist' });
    expect(second.seen[0]?.path).toBe('/here');
    expect(second.seen[0]?.headers).not.toHaveProperty('x-tenant');
    expect(second.seen[0]?.headers).not.toHaveProperty('authorization');
  });

  it('writes nowhere else but where the system says that just that is meant', async () => {
    const sending = { method: 'POST' as const, body: { a: 1 } };
    for (const [status, seen] of [
      [302, 1],
      [303, 1],
      [307, 2],
      [308, 2],
    ] as const) {
      first.seen = [];
      first.answers.set('/from', [status, '', '', '/to']);
      const code = await codeOf(ask('/from', {}, sending).then(() => expect.fail('taken')));
      expect(first.seen, String(status)).toHaveLength(seen);
      if (seen === 1) expect(code).toBe('outside_status');
    }
  });
});
