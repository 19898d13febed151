import http, { type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { setTimeout as sleep } from 'node:timers/promises';
import { pageOf } from './page';
import type { Reply, System } from './system';
import type { Trouble } from './state';

/** Running simulators. */
export interface Simulators {
  address: string;
  systems: ReadonlyMap<string, System>;
  stop: () => Promise<void>;
}

/** Serves simulated systems on 127.0.0.1, each below its name; the page at `/` shows and sets their state. */
export async function serveSystems(list: readonly System[], port = 0): Promise<Simulators> {
  const systems = new Map(list.map((system) => [system.name, system]));
  const server = http.createServer((request, response) => {
    const { port: own } = server.address() as AddressInfo;
    const address = `http://127.0.0.1:${own}`;
    void serve(systems, address, request, response).catch(() => response.destroy());
  });
  await new Promise<void>((done, failed) => {
    server.once('error', failed);
    server.listen(port, '127.0.0.1', done);
  });
  const { port: chosen } = server.address() as AddressInfo;
  return {
    address: `http://127.0.0.1:${chosen}`,
    systems,
    stop: () =>
      new Promise((done) => {
        server.close(() => done());
        server.closeAllConnections();
      }),
  };
}

async function serve(
  systems: ReadonlyMap<string, System>,
  address: string,
  request: IncomingMessage,
  response: ServerResponse,
): Promise<void> {
  const url = new URL(request.url ?? '/', 'http://simulator');
  const [name = '', ...path] = url.pathname
    .split('/')
    .filter((part) => part !== '')
    .map(decodeURIComponent);
  const system = systems.get(name);
  if (system?.serves) {
    const body = async () => new URLSearchParams(await readText(request));
    response.once('finish', () => {
      const { method = 'GET' } = request;
      const at = new Date().toISOString();
      system.state.note({ at, method, path: url.pathname, status: response.statusCode });
    });
    return system.serves(request, response, { address, body });
  }
  const text = await readText(request);
  if (name === '') {
    if (request.method === 'POST') {
      await command(systems, new URLSearchParams(text));
      return void response.writeHead(303, { location: '/' }).end();
    }
    const page = await pageOf(systems);
    return void response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(page);
  }
  if (!system?.answer) {
    return send(response, { status: 404, body: { message: 'no such system' } });
  }
  const { state } = system;
  if (state.switches.slow > 0) await sleep(state.switches.slow);
  const { method = 'GET' } = request;
  const asked = {
    method,
    path,
    query: url.searchParams,
    headers: request.headers,
    body: json(text),
  };
  const troubled = state.misbehaves();
  // Whatever reaches the caller: a write that is answered with trouble is written all the same.
  const reply = system.answer(asked);
  const status = troubled ? misbehave(state.switches.trouble, reply, response) : reply.status;
  state.note({ at: new Date().toISOString(), method, path: url.pathname + url.search, status });
  if (!troubled) send(response, reply);
}

/** Does what a form of the page, or a test, wants: sets switches, or changes a record by hand. */
async function command(systems: ReadonlyMap<string, System>, form: URLSearchParams): Promise<void> {
  const system = systems.get(form.get('system') ?? '');
  if (!system) return;
  const { state } = system;
  const altered = form.get('alter');
  if (altered !== null) return system.alter?.(altered.trim());
  const trouble = state.troubles.find((one) => one === form.get('trouble')) ?? 'none';
  const bounded = (name: string, most: number, otherwise: number) =>
    Math.max(0, Math.min(most, Number(form.get(name) ?? otherwise) || 0));
  state.switches = { trouble, slow: bounded('slow', 60_000, 0), share: bounded('share', 100, 100) };
  await system.applies?.(state.switches);
}

function misbehave(trouble: Trouble, reply: Reply, response: ServerResponse): number {
  const type = { 'content-type': 'application/json' };
  switch (trouble) {
    case 'none':
    case 'away':
    case 'refuses':
      send(response, reply);
      return reply.status;
    case 'error 500':
      send(response, { status: 500, body: { message: 'The desk is closed.' } });
      return 500;
    case 'not found':
      send(response, { status: 404, body: { message: 'not found' } });
      return 404;
    case 'web page':
      response.writeHead(200, { 'content-type': 'text/html' }).end('<h1>Under repair</h1>');
      return 200;
    case 'half an answer':
      response.writeHead(200, type).end(JSON.stringify(reply.body).slice(0, 12));
      return 200;
    case 'no answer':
      response.destroy();
      return 0;
    case 'large answer':
      response.writeHead(200, type);
      response.write('{"filling":"');
      for (let i = 0; i < 50; i++) response.write('x'.repeat(1_000_000));
      response.end('"}');
      return 200;
    case 'many rows':
      send(response, {
        status: 200,
        body: { items: Array.from({ length: 10_000 }, () => firstRow(reply.body)) },
      });
      return 200;
    case 'other types':
      send(response, { status: 200, body: reshaped(reply.body) });
      return 200;
    case 'elsewhere':
      response.writeHead(302, { location: 'http://192.0.2.1/secret' }).end();
      return 302;
  }
}

function firstRow(body: unknown): unknown {
  const items = (body as { items?: unknown[] } | null)?.items;
  return items?.[0] ?? body;
}

/** The same answer with every plain value as something else. */
function reshaped(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(reshaped);
  if (typeof value === 'object' && value !== null) {
    return Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, reshaped(inner)]));
  }
  return typeof value === 'number' ? 'quite a lot' : { was: value };
}

function send(response: ServerResponse, { status, body, headers = {} }: Reply): void {
  response.writeHead(status, { 'content-type': 'application/json', ...headers });
  response.end(body === undefined ? '' : JSON.stringify(body));
}

function json(text: string): unknown {
  try {
    return text === '' ? null : JSON.parse(text);
  } catch {
    return null;
  }
}

async function readText(request: IncomingMessage): Promise<string> {
  const chunks: Buffer[] = [];
  for await (const chunk of request) chunks.push(chunk as Buffer);
  return Buffer.concat(chunks).toString('utf8');
}
