import type { RequestEvent } from '@sveltejs/kit';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, inject, it, vi } from 'vitest';
import { z, type ZodType } from 'zod';
import { listForms, makeForm, publishForm } from '../../src/server/catalog/forms';
import { openDatabase, type Database } from '../../src/server/database/connection';
import { linesPlan, lendingPlan } from '../support/lending';
import { askerOf, type Asker } from '../../src/server/access/sessions';
import { loadTables } from '../../src/server/catalog/tables';
import { keeperCookie } from '../support/keeper';
import { makeLending } from '../support/house';
import { valuesOf } from '../support/json-schema';

/** So many requests are made; `UNISOR_FUZZ=20000` for the long run, others each time. */
const runs = Number(process.env.UNISOR_FUZZ ?? 900);
const seed = process.env.UNISOR_FUZZ === undefined ? { seed: 20_261_126 } : {};

/** What each route reads its body by, as it is seen when it does. */
const seen = vi.hoisted(() => ({ schema: null as unknown }));
vi.mock('$lib/server/respond', async (original) => {
  const module: typeof import('../../src/server/respond') = await original();
  const readBody: typeof module.readBody = (request, schema) => {
    seen.schema = schema;
    return module.readBody(request, schema);
  };
  return { ...module, readBody };
});

type Handler = (event: RequestEvent) => Promise<Response>;
const modules = import.meta.glob<Record<string, Handler>>('../../src/routes/api/**/+server.ts');

interface Route {
  path: string;
  method: string;
  handler: Handler;
  body: fc.Arbitrary<unknown>;
}

const schema = 't_fuzz';
let db: Database;
let asker: Asker | null = null;
let routes: Route[] = [];

/** Names that are there, and such as are nowhere. */
const names = ['loan', 'score', 'lend', 'lines', 'name', 'copies', 'weeks', 'fee', 'r1', 'gone'];
const odd = ['..', '%00', 'x'.repeat(300), '0', '-1', '1e400', '9'.repeat(30), 'ü', ' '];
const parameter = fc.constantFrom(...names, '1', '2', '3', ...odd);

const asked = fc.dictionary(
  fc.constantFrom(
    'before',
    'after',
    'record',
    'limit',
    'q',
    'view',
    'edition',
    'with.weeks',
    'check',
  ),
  fc.constantFrom(
    '1',
    '-1',
    '1e400',
    'NaN',
    '{}',
    '[1',
    '{"filter":[]}',
    'x'.repeat(200),
    '9'.repeat(25),
  ),
  { maxKeys: 2 },
);

beforeAll(async () => {
  process.env.UNISOR_DATABASE_URL = inject('databaseUrl');
  process.env.UNISOR_SCHEMA = schema;
  process.env.UNISOR_SECRET ??= 'only-for-this-test-0123456789';
  const { readyDatabase } = await import('../../src/server/start');
  db = openDatabase(inject('databaseUrl'), schema);
  await db.knex.raw('drop database if exists ??', [db.records]);
  await db.knex.raw('drop database if exists ??', [db.catalog]);
  await readyDatabase();
  await makeLending(db);
  for (const [key, plan] of Object.entries({ lend: lendingPlan(), lines: linesPlan() })) {
    await makeForm(db, { table: 'loan', key, plan }, 'test');
    await publishForm(db, key, 1, 'test');
  }
  // A keeper asks, to whom every door is open.
  const [, secret = ''] = (await keeperCookie(db)).split('=');
  asker = await askerOf(db, secret);
  routes = await foundRoutes();
}, 60_000);

afterAll(async () => {
  const { stopServer } = await import('../../src/server/start');
  await stopServer();
  await db.knex.raw('drop database if exists ??', [db.records]);
  await db.knex.raw('drop database if exists ??', [db.catalog]);
  await db.knex.destroy();
});

async function foundRoutes(): Promise<Route[]> {
  const found: Route[] = [];
  for (const [file, load] of Object.entries(modules)) {
    const path = file.replace(/^.*\/routes(.*)\/\+server\.ts$/, '$1');
    for (const [method, handler] of Object.entries(await load())) {
      if (typeof handler !== 'function') continue;
      seen.schema = null;
      const gone = Object.fromEntries(
        [...path.matchAll(/\[(\w+)\]/g)].map(([, name = '']) => [name, 'gone']),
      );
      const event = eventOf(path.replace(/\[\w+\]/g, 'gone'), gone, method, '{}', {});
      await Promise.resolve(handler(event)).catch(() => undefined);
      const body = seen.schema
        ? valuesOf(z.toJSONSchema(seen.schema as ZodType, jsonOptions) as never, names)
        : fc.constantFrom<unknown>(undefined, {}, 'name\nx', null);
      const route = { path, method, handler, body };
      const words = { value: () => `${method} ${path}` };
      found.push(Object.defineProperty(route, fc.toStringMethod, words));
    }
  }
  return found;
}

const jsonOptions = { io: 'input', unrepresentable: 'any' } as const;

function eventOf(
  path: string,
  params: Record<string, string>,
  method: string,
  body: string | undefined,
  query: Record<string, string>,
): RequestEvent {
  const url = new URL(`http://127.0.0.1${path}?${new URLSearchParams(query)}`);
  const withBody = !['GET', 'HEAD', 'DELETE'].includes(method) && body !== undefined;
  const request = new Request(url, { method, ...(withBody ? { body } : {}) });
  return {
    ...{ url, params, request },
    locals: {
      ...{ person: { name: 'fuzz' }, requestId: 'fuzz', asker },
      house: () => loadTables(db),
      forms: () => listForms(db),
      reads: () => Promise.resolve(db),
    },
    cookies: { get: () => undefined, set: () => undefined, delete: () => undefined },
    getClientAddress: () => `10.0.0.${Math.floor(Math.random() * 250)}`,
    setHeaders: () => undefined,
  } as unknown as RequestEvent;
}

const oneRequest = fc
  .record({
    route: fc.nat(10_000),
    params: fc.array(parameter, { minLength: 3, maxLength: 3 }),
    asked,
  })
  .chain(({ route, params, asked: query }) => {
    const chosen = routes[route % routes.length];
    return chosen
      ? chosen.body.map((body) => ({ chosen, params, query, body }))
      : fc.constant(null);
  });

describe('F9 whatever is asked', () => {
  it(
    `no route answers with an error that is nobody's (${runs} requests)`,
    async () => {
      expect(routes.length).toBeGreaterThan(50);
      const statuses = new Map<number, number>();
      await fc.assert(
        fc.asyncProperty(
          fc.constant(null).chain(() => oneRequest),
          async (wish) => {
            if (!wish) return;
            const { chosen, params, query, body } = wish;
            const given: Record<string, string> = {};
            // What everything hangs on is not taken away: nothing would be left to ask for.
            const rest = [...params];
            const spared = chosen.method === 'DELETE' || 'key' in Object(body) ? 'gone' : null;
            const path = chosen.path.replace(/\[(\w+)\]/g, (_, name: string) => {
              given[name] = spared ?? rest.shift() ?? 'gone';
              return encodeURIComponent(given[name]);
            });
            const text = body === undefined ? undefined : JSON.stringify(body);
            const response = await chosen.handler(eventOf(path, given, chosen.method, text, query));
            const said = await response.text();
            statuses.set(response.status, (statuses.get(response.status) ?? 0) + 1);
            const where = `${chosen.method} ${path} ${JSON.stringify(query)} ${text?.slice(0, 2000)}`;
            expect(response.status, `${where}\n${said.slice(0, 500)}`).not.toBe(500);
            expect(said, where).not.toContain('"status":500');
            expect(response.status < 500 || [502, 503, 504].includes(response.status), where).toBe(
              true,
            );
          },
        ),
        { numRuns: runs, ...seed },
      );
      // Not all were turned away at the door.
      expect([...statuses].filter(([status]) => status < 300).length).toBeGreaterThan(0);
    },
    Math.max(60_000, runs * 100),
  );
});
