import { isIPv6 } from 'node:net';
import { Agent, request } from 'undici';
import { fail } from '$lib/core/problems';
import { largestAnswer, type Connection } from '$lib/core/outside/query';
import { parseOutsideJson } from '$lib/core/values/json';
import { addressToReach } from './addresses';
import type { Reached } from './system';
import { OutsideStatusError } from './told';

type Http = Extract<Connection, { kind: 'http' }>;

/** Connections are kept open and shared; nothing of an answer is waited for longer than its time. */
const agents = new Map<string, Agent>();

/** Connections to the one address to which the name of a host led when it was looked at. */
function agentFor(host: string, address: string): Agent {
  const name = `${host} ${address}`;
  const known = agents.get(name);
  if (known) return known;
  const family = isIPv6(address) ? 6 : 4;
  const made = new Agent({
    connections: 8,
    keepAliveTimeout: 10_000,
    connect: {
      timeout: 5000,
      lookup: (_, options, found) => {
        if (options.all) found(null, [{ address, family }]);
        else found(null, address, family);
      },
    },
  });
  agents.set(name, made);
  const [oldest] = agents;
  if (agents.size > mostAgents && oldest) {
    agents.delete(oldest[0]);
    void oldest[1].close();
  }
  return made;
}

const mostAgents = 50;
const mostRedirects = 3;

/** What an outside system answered: its status, the headers that matter here, and the JSON. */
export interface HttpAnswer {
  status: number;
  etag: string | null;
  body: unknown;
}

/** What is sent besides the address. */
export interface HttpSending {
  method: 'GET' | 'POST' | 'PUT' | 'PATCH';
  headers?: Readonly<Record<string, string>>;
  body?: unknown;
}

/**
 * Asks an outside system over HTTP. Only allowed hosts are asked, also where it redirects; the answer is
 * read up to a size, and within the time. Any status is an answer; what is no JSON is none.
 */
export async function askHttp(
  reach: Http,
  address: string,
  asking: Reached,
  sending: HttpSending = { method: 'GET' },
  wants: 'json' | 'any' = 'json',
): Promise<HttpAnswer> {
  const { title } = asking.connection;
  let url = new URL(address);
  for (let step = 0; ; step++) {
    refuseHost(url, asking.hosts);
    const answer = await once(reach, url, asking, sending);
    const to = answer.location;
    if (to === null) return wants === 'any' ? { ...answer, body: null } : read(answer, title);
    if (step === mostRedirects) throw new OutsideStatusError(title, answer.status);
    // What writes is not repeated elsewhere, but where the system says that just that is meant.
    if (sending.method !== 'GET' && answer.status !== 307 && answer.status !== 308) {
      throw new OutsideStatusError(title, answer.status);
    }
    // What signs in, and the connection's own headers, are for the system itself, not for where it sends to.
    const next = new URL(to, url);
    if (next.origin !== url.origin) {
      asking = { ...asking, secret: null };
      reach = { ...reach, headers: [] };
    }
    url = next;
  }
}

interface Raw {
  status: number;
  etag: string | null;
  location: string | null;
  text: string;
}

async function once(
  reach: Http,
  url: URL,
  { secret, signal, connection, hosts }: Reached,
  { method, headers = {}, body }: HttpSending,
): Promise<Raw> {
  const own = Object.fromEntries(reach.headers.map(({ name, value }) => [name, value]));
  const signedIn =
    secret === null || reach.signIn === 'none'
      ? {}
      : reach.signIn === 'token'
        ? { authorization: `Bearer ${secret}` }
        : {
            authorization: `Basic ${Buffer.from(`${reach.user}:${secret}`).toString('base64')}`,
          };
  const address = await addressToReach(url.hostname.replace(/^\[|\]$/g, ''), hosts);
  const answer = await request(url, {
    dispatcher: agentFor(url.hostname, address),
    method,
    signal,
    headers: {
      accept: 'application/json',
      ...own,
      ...signedIn,
      ...headers,
      ...(body === undefined ? {} : { 'content-type': 'application/json' }),
    },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  const { statusCode: status } = answer;
  const header = (name: string) => {
    const given = answer.headers[name];
    return (Array.isArray(given) ? given[0] : given) ?? null;
  };
  const chunks: Buffer[] = [];
  let size = 0;
  for await (const chunk of answer.body) {
    size += (chunk as Buffer).length;
    if (size > largestAnswer) {
      answer.body.destroy();
      fail(
        'outside_too_large',
        { system: connection.title, limit: largestAnswer / 1_000_000 },
        502,
      );
    }
    chunks.push(chunk as Buffer);
  }
  const location = status >= 300 && status < 400 ? header('location') : null;
  return { status, etag: header('etag'), location, text: Buffer.concat(chunks).toString('utf8') };
}

function read({ status, etag, text }: Raw, system: string): HttpAnswer {
  if (text.trim() === '') return { status, etag, body: null };
  try {
    return { status, etag, body: parseOutsideJson(text) };
  } catch {
    if (status >= 400) return { status, etag, body: null };
    return fail('outside_not_json', { system }, 502);
  }
}

function refuseHost(url: URL, hosts: readonly string[]): void {
  const allowed = hosts.includes(url.host) || hosts.includes(url.hostname);
  if (!allowed || !/^https?:$/.test(url.protocol)) {
    fail('outside_host_refused', { host: url.host }, 403);
  }
}
