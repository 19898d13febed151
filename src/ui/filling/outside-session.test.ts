import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { column, field, planOf, table } from '../../../tests/support/definitions';
import { querySchema } from '../../core/outside/query';
import { tablesWith } from '../../core/table/sources';
import { wireForm } from '../../core/wiring/form';
import { EntrySession } from './session.svelte';

const text = { kind: 'text', format: 'plain', length: 255 } as const;
const query = querySchema.parse({
  key: 'member',
  title: 'Member',
  connection: 'register',
  text: 'members/{code}',
  parameters: [{ key: 'code', label: 'Code', type: text }],
  columns: ['name', 'phone'].map((key) => ({ key, label: key, path: key, type: text })),
});
const tables = tablesWith({
  tables: [table('visit', [column('code'), column('name'), column('phone')])],
  queries: [query],
});
const given = [{ parameter: 'code', field: 'code', optional: false }];
const read = (key: string) => field(key, { outside: { query: 'member', column: key, given } });
const form = wireForm(planOf('visit', [field('code'), read('name'), read('phone')]), tables);

/** What was asked line by line, each with a way to answer it. */
let calls: { ids: string[]; say: (line: object) => void; end: () => void }[];

beforeEach(() => {
  calls = [];
  vi.useFakeTimers();
  vi.stubGlobal(
    'fetch',
    async (_: string, init: { body: string; headers: Record<string, string> }) => {
      expect(init.headers.accept).toBe('application/x-ndjson');
      const { asks } = JSON.parse(init.body) as { asks: { id: string }[] };
      return new Response(
        new ReadableStream({
          start(controller) {
            const say = (line: object) =>
              controller.enqueue(new TextEncoder().encode(`${JSON.stringify(line)}\n`));
            calls.push({ ids: asks.map(({ id }) => id), say, end: () => controller.close() });
          },
        }),
      );
    },
  );
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const flushed = () => vi.advanceTimersByTimeAsync(1);

async function asking(): Promise<EntrySession> {
  const session = new EntrySession('visit', { edition: 1 }, form, tables);
  void session.reads.pump();
  session.set('code', 'X-1');
  await flushed();
  return session;
}

describe('H5 what systems outside answer', () => {
  it('is asked for in one request, and shown answer by answer', async () => {
    const session = await asking();
    expect(calls.map(({ ids }) => ids.length)).toEqual([2]);
    const [call] = calls;
    const [name = '', phone = ''] = call?.ids ?? [];
    call?.say({ answers: [{ id: phone, value: '555-0100', at: '2026-11-02T10:00:00Z' }] });
    await flushed();
    expect([session.words.shown('name'), session.words.shown('phone')]).toEqual(['', '555-0100']);
    call?.say({ answers: [{ id: name, value: 'Quay Lane Octet' }] });
    call?.end();
    await flushed();
    expect(session.words.shown('name')).toBe('Quay Lane Octet');
    expect(calls).toHaveLength(1);
  });

  it('is asked for again where the answer breaks off, and only what is left of it', async () => {
    const session = await asking();
    const [name = '', phone = ''] = calls[0]?.ids ?? [];
    calls[0]?.say({ answers: [{ id: name, value: 'Quay Lane Octet' }] });
    calls[0]?.end();
    await flushed();
    expect(session.reads.away).toBe(true);
    await vi.advanceTimersByTimeAsync(2000);
    expect(calls[1]?.ids).toEqual([phone]);
    calls[1]?.say({ answers: [{ id: phone, value: '555-0100' }] });
    calls[1]?.end();
    await flushed();
    expect([session.reads.away, session.words.shown('phone')]).toEqual([false, '555-0100']);
  });

  it('is dropped where the field on which it depends has changed meanwhile', async () => {
    const session = await asking();
    session.set('code', 'X-2');
    await flushed();
    const [old, fresh] = calls;
    fresh?.say({ answers: fresh.ids.map((id) => ({ id, value: 'new' })) });
    fresh?.end();
    old?.say({ answers: old.ids.map((id) => ({ id, value: 'old' })) });
    old?.end();
    await flushed();
    expect([session.words.shown('name'), session.words.shown('phone')]).toEqual(['new', 'new']);
  });

  it('that fails is told at its field, and asked again when a person wants it', async () => {
    const session = await asking();
    const failed = { path: 'name', code: 'outside_away', message: 'It is away.', hint: '' };
    calls[0]?.say({ answers: calls[0].ids.map((id) => ({ id, failed })) });
    calls[0]?.end();
    await flushed();
    expect(session.problems.outside('name')?.message).toBe('It is away.');
    session.askAgain();
    await flushed();
    expect(calls[1]?.ids).toHaveLength(2);
  });
});
