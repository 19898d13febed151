import { afterAll, afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { column, field, planOf, table } from '../../../tests/support/definitions';
import type { OpenedRecord } from '../../core/entry/stored';
import { tablesWith } from '../../core/table/sources';
import { Filling } from './filling.svelte';

// Others may have brought in what is put in the place of something here.
vi.hoisted(() => vi.resetModules());
afterAll(() => vi.resetModules());

vi.mock('idb-keyval', () => ({
  get: async () => undefined,
  set: async () => undefined,
  del: async () => undefined,
  update: async () => undefined,
}));

const tables = tablesWith({
  tables: [table('note', [column('title', { required: true }), column('body')])],
});
const plan = planOf('note', [
  field('title', { savesTo: 'title', required: true }),
  field('body', { savesTo: 'body' }),
]);
const opened = (version: number, values: Record<string, string | null>): OpenedRecord => ({
  stored: { id: 3, version, values },
  values,
  rows: {},
});

let posts: Record<string, unknown>[];
let answer: () => Response;

beforeEach(() => {
  posts = [];
  vi.stubGlobal('fetch', async (address: string, init: { method: string; body?: string }) => {
    if (!address.endsWith('/entries')) return new Response(null, { status: 204 });
    posts.push(JSON.parse(init.body ?? '{}') as Record<string, unknown>);
    return answer();
  });
});
afterEach(() => vi.unstubAllGlobals());

const receipt = () =>
  Response.json(
    {
      receipt: {
        submission: 's',
        records: [{ table: 'note', title: 'Note', id: 3, shown: 'A', action: 'inserted' }],
      },
    },
    { status: 201 },
  );

async function filling(record: OpenedRecord | null = null): Promise<Filling> {
  const given = {
    formKey: 'note',
    plan,
    edition: 2,
    tables,
    opened: record,
    person: { name: 'clerk' },
  };
  const made = new Filling({ ...given, carried: {}, link: {}, keeps: false });
  await made.start(null);
  return made;
}

describe('F1, F2 one filling, from the first key to the receipt and the next one', () => {
  it('is not sent with a problem; the first one is where the cursor goes', async () => {
    const one = await filling();
    expect(await one.save()).toBe('title');
    expect(posts).toEqual([]);
    expect(one.problems().map(({ code }) => code)).toEqual(['required']);
  });

  it('is saved once: a try whose answer was lost goes out again under the same submission', async () => {
    const one = await filling();
    one.session.type('title', 'A');
    answer = () => new Response('', { status: 503 });
    expect(await one.save()).not.toBeNull();
    expect(one.receipt).toBeNull();
    answer = receipt;
    expect(await one.save()).toBeNull();
    expect(one.receipt?.records).toHaveLength(1);
    expect(posts.map(({ submission }) => submission)).toEqual([one.submission, one.submission]);
    expect(posts[0]).toMatchObject({ edition: 2, values: { title: 'A' } });
    // The next one is another.
    one.another();
    expect(one.submission).not.toBe(posts[0]?.submission);
    expect(one.session.entry.value('title')).toBeNull();
  });

  it('another like it begins with what was saved', async () => {
    const one = await filling();
    one.session.type('title', 'A');
    answer = receipt;
    await one.save();
    one.another('like');
    expect(one.session.entry.value('title')).toBe('A');
    expect(one.receipt).toBeNull();
  });

  it('what the server refuses stands at its field, and goes when that is changed', async () => {
    const one = await filling();
    one.session.type('title', 'A');
    const found = { path: 'title', code: 'not_unique', message: 'There is one.', hint: '' };
    answer = () => Response.json({ problems: [found] }, { status: 422 });
    expect(await one.save()).toBe('title');
    expect(one.session.problems.at('title')?.message).toBe('There is one.');
    one.session.type('title', 'B');
    expect(one.session.problems.at('title')).toBeNull();
  });

  it('an answer that is none of the contract is said, and nothing is lost', async () => {
    const one = await filling();
    one.session.type('title', 'A');
    answer = () => Response.json({ saved: true });
    await one.save();
    expect(one.receipt).toBeNull();
    expect(one.problems()[0]?.code).toBe('answer_unreadable');
    expect(one.session.entry.value('title')).toBe('A');
  });
});

describe('F4 another person has saved the same record meanwhile', () => {
  it('both sides are laid together, and go out on the record as it is now', async () => {
    const one = await filling(opened(1, { title: 'A', body: null }));
    one.session.type('body', 'mine');
    const conflicts = [
      { table: 'note', id: 3, column: 'title', by: 'Maren', at: '2027-03-01T10:00:00Z' },
    ];
    const now = opened(2, { title: 'B', body: null });
    const problems = [{ path: '', code: 'changed_meanwhile', message: 'Changed.', hint: '' }];
    answer = () => Response.json({ problems, now, conflicts, shown: {} }, { status: 409 });
    expect(await one.save()).toBe('');
    expect(one.clash?.told[0]?.by).toBe('Maren');
    one.settleClash(new Map());
    expect(one.session.entry.values()).toMatchObject({ title: 'B', body: 'mine' });
    answer = receipt;
    expect(await one.save()).toBeNull();
    expect(posts.map(({ record }) => record)).toEqual([
      { id: 3, version: 1 },
      { id: 3, version: 2 },
    ]);
    expect(posts[0]?.submission).not.toBe(posts[1]?.submission);
  });

  it('is undone and done again step by step; starting over is a step, too', async () => {
    vi.useFakeTimers();
    const made = new Filling({
      formKey: 'note',
      plan,
      edition: 2,
      tables,
      opened: null,
      person: { name: 'clerk' },
      carried: {},
      link: {},
    });
    await made.start(null);
    const change = async (key: string, text: string) => {
      made.session.type(key, text);
      made.keep();
      await vi.advanceTimersByTimeAsync(400);
    };
    await change('title', 'A');
    await change('title', 'Ab');
    await change('body', 'b');
    const now = () => ['title', 'body'].map((key) => made.session.entry.value(key));
    made.undo();
    expect(now()).toEqual(['Ab', null]);
    made.undo();
    expect(now()).toEqual([null, null]);
    expect(made.canUndo).toBe(false);
    made.redo();
    made.redo();
    expect(now()).toEqual(['Ab', 'b']);
    // What comes by itself after a step was taken back – an answer, say – takes nothing from what can be done again.
    made.undo();
    made.session.entry.set('body', 'read');
    made.redo();
    expect(now()).toEqual(['Ab', 'b']);
    await made.startOver(null);
    expect(now()).toEqual([null, null]);
    made.undo();
    expect(now()).toEqual(['Ab', 'b']);
    vi.useRealTimers();
  });

  it('goes on with what the plan carries to the next record, and nothing else', async () => {
    answer = receipt;
    const carrying = planOf('note', [
      field('title', { savesTo: 'title', required: true }),
      field('body', { savesTo: 'body', carries: true }),
    ]);
    const given = { formKey: 'note', plan: carrying, edition: 2, tables, opened: null };
    const made = new Filling({
      ...given,
      person: { name: 'clerk' },
      carried: {},
      link: {},
      keeps: false,
    });
    await made.start(null);
    made.session.type('title', 'A');
    made.session.type('body', 'stays');
    expect(await made.save()).toBeNull();
    made.another('next');
    expect(made.session.entry.value('title')).toBeNull();
    expect(made.session.entry.value('body')).toBe('stays');
  });
});
