import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { lookupOf } from '../../../tests/support/definitions';
import { lendingPlan, lendingTables, lendingWorld } from '../../../tests/support/lending';
import { readerOf } from '../../../tests/support/world';
import type { z } from 'zod';
import { askSchema, type Answer, type StandingAsk } from '../../core/entry/asks';
import { Entry } from '../../core/entry/entry';
import { settle } from '../../core/entry/settle';
import { updateField } from '../../core/plan/edit';
import type { Plan } from '../../core/plan/schema';
import { wireForm } from '../../core/wiring/form';
import { EntrySession } from './session.svelte';

type WireAsk = z.infer<typeof askSchema>;

interface Sent {
  values?: Record<string, unknown>;
  own: string[];
  asks: unknown[];
}

let sent: Sent[];
let world = lendingWorld();
let plan: Plan;
let broken: string[];

const standingOf = ({ id, kind, field, grid = '', ...rest }: WireAsk): StandingAsk => {
  const { row = null, given = {}, current = null, cause = null } = rest;
  return { id, kind, field, grid, row, given, current, cause };
};

/** Answers as the server does: the same entry, at rest but for what is asked. */
async function respond(body: Sent): Promise<Response> {
  const form = wireForm(plan, lendingTables);
  const asks = body.asks.map((ask) => standingOf(askSchema.parse(ask)));
  const first = await readerOf(world, form)(asks);
  const entry = Entry.resume(form, { ...body, values: body.values ?? {} }, asks);
  entry.answer(first);
  const answers = [...first, ...(body.values ? await settle(entry, readerOf(world, form)) : [])];
  const failed = {
    path: '',
    code: 'read_failed',
    message: 'It could not be loaded.',
    hint: '',
  } as const;
  const told = answers.map((answer): Answer => {
    return broken.some((kind) => answer.id.startsWith(kind)) ? { id: answer.id, failed } : answer;
  });
  return Response.json({ answers: told });
}

beforeEach(() => {
  [sent, world, plan, broken] = [[], lendingWorld(), lendingPlan(), []];
  vi.stubGlobal('fetch', async (_: string, init: { body: string }) => {
    const body = JSON.parse(init.body) as Sent;
    sent.push(body);
    return respond(body);
  });
});
afterEach(() => vi.unstubAllGlobals());

const open = () =>
  new EntrySession('lend', { edition: 1 }, wireForm(plan, lendingTables), lendingTables);

async function chosen(): Promise<EntrySession> {
  const session = open();
  await session.reads.pump();
  for (const [key, value] of [
    ['region', 1],
    ['town', 12],
    ['ensemble', 22],
    ['score', 31],
  ] as const) {
    session.set(key, value, { value, shown: [String(value)] });
    await session.reads.settled();
  }
  return session;
}

describe('D1, D3 a session shows what a choice brings', () => {
  it('beside the lookup and in fields, for one request a change', async () => {
    const session = await chosen();
    expect(session.words.brought('ensemble')).toEqual([
      { path: 'town.region.name', label: 'region', shown: 'Region 1', sure: true },
    ]);
    expect(session.words.shown('contact')).toBe('Brann');
    expect(session.words.shown('on_hand')).toBe('20');
    expect(session.words.shown('fee')).toBe('0.40');
    sent.length = 0;
    session.set('score', 32, { value: 32, shown: ['Harbour'] });
    await session.reads.settled();
    expect(sent).toHaveLength(1);
    // Nothing that follows asks anything: no more is sent than what is asked.
    expect(sent[0]?.own).toBeUndefined();
    expect(session.words.shown('on_hand')).toBe('2');
  });

  it('asks nothing for what is worked out from typed values', async () => {
    const session = await chosen();
    sent.length = 0;
    session.type('copies', '21');
    expect(session.words.shown('fee')).toBe('8.40');
    expect(session.problems.at('copies')?.message).toBe('21 asked, 20 on hand.');
    expect(sent).toEqual([]);
  });

  it('reads again what others may have changed', async () => {
    const session = await chosen();
    world.copy_movement?.push({ id: 9, score: 31, kind: 'lent', quantity: 15 });
    session.refresh();
    await session.reads.settled();
    expect(session.words.shown('on_hand')).toBe('5');
  });

  it('marks what could not be read, and asks again when told to', async () => {
    const session = await chosen();
    broken = ['value'];
    session.set('score', 32, { value: 32, shown: ['Harbour'] });
    await session.reads.settled();
    expect(session.problems.at('received')?.code).toBe('read_failed');
    expect(session.entry.cell('received').unsure).toBe(true);
    broken = [];
    session.retry();
    await session.reads.settled();
    expect(session.problems.at('received')).toBeNull();
    expect(session.words.shown('on_hand')).toBe('2');
  });
});

describe('B9 a key typed into a session', () => {
  beforeEach(() => {
    plan = updateField(plan, 'score', { choices: lookupOf('score', { typedBy: 'code' }) });
  });

  it('is looked up, and an unknown one is said although nothing was saved yet', async () => {
    const session = open();
    await session.reads.pump();
    session.type('score', 'nothing');
    await session.reads.settled();
    expect(session.problems.at('score')?.message).toBe('No score has code “nothing”.');
    session.type('score', 'S-1');
    await session.reads.settled();
    expect(session.entry.value('score')).toBe(31);
    expect(session.words.shown('score')).toBe('Lantern');
  });
});

describe('D5 a session closes what nobody may set', () => {
  it('computed, brought and locked fields', async () => {
    const session = open();
    expect(session.closed('fee')).toBe(true);
    expect(session.closed('rate')).toBe(true);
    expect(session.closed('contact')).toBe(false);
    expect(session.closed('note')).toBe(true);
    expect((await chosen()).closed('note')).toBe(false);
  });
});

describe('G7 a session names everything as people do', () => {
  it('in the trace and in columns of choices', async () => {
    plan = updateField(plan, 'note', {
      lockedWhen: null,
      choices: { kind: 'columns', of: 'ensemble', paths: ['town.name', 'contact'] },
    });
    const session = await chosen();
    const { names } = session.words;
    expect(session.words.column('note', 'town.name')).toBe('town › name');
    expect(names.path('ensemble', 'town.region.name')).toBe('town › region › name');
    expect(names.value('fee', '1250.50')).toBe('1,250.50');
    session.set('note', 'contact');
    expect(session.words.shown('note')).toBe('contact');
  });
});
