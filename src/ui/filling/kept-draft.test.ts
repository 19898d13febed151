import { afterAll, afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { DraftKeeper, type KeptDraft } from './kept-draft';

/** What the browser keeps; `broken` where it keeps nothing. */
// Others may have brought in what is put in the place of something here.
vi.hoisted(() => vi.resetModules());
afterAll(() => vi.resetModules());

const browser = vi.hoisted(() => ({ store: new Map<string, unknown>(), broken: false }));
vi.mock('idb-keyval', () => {
  const alive = () => {
    if (browser.broken) throw new Error('no storage');
  };
  return {
    get: async (key: string) => (alive(), browser.store.get(key)),
    set: async (key: string, value: unknown) => (alive(), void browser.store.set(key, value)),
    del: async (key: string) => (alive(), void browser.store.delete(key)),
    update: async (key: string, change: (now: unknown) => unknown) => (
      alive(),
      void browser.store.set(key, change(browser.store.get(key)))
    ),
  };
});

let sent: { method: string; address: string; body: unknown }[];
let answer: () => Response;

beforeEach(() => {
  browser.store.clear();
  browser.broken = false;
  sent = [];
  answer = () => Response.json({ keptAt: 500 });
  vi.useFakeTimers();
  vi.stubGlobal('fetch', async (address: string, init: { method: string; body?: string }) => {
    const body: unknown = init.body === undefined ? undefined : JSON.parse(init.body);
    sent.push({ method: init.method, address, body });
    return answer();
  });
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const draft = (at: number, note = ''): KeptDraft => ({
  state: { values: { note }, rows: {} },
  submission: 'sub-0001',
  edition: 1,
  base: null,
  at,
});
const onServer = (keptAt: number, note: string) => {
  const { at, ...content } = draft(keptAt, note);
  return { keptAt, at, content };
};
const note = (kept: KeptDraft | null) => kept?.state.values.note;

describe('F5 a draft is kept in the browser at once, and on the server a moment later', () => {
  it('of many quick changes the last one is sent, with what it is about', async () => {
    const keeper = new DraftKeeper('lend', null);
    for (let i = 1; i <= 5; i++) expect(await keeper.keep(draft(i, `${i}`), 'Quay')).toBe(true);
    expect(note(await keeper.read(null))).toBe('5');
    expect(sent).toEqual([]);
    await vi.advanceTimersByTimeAsync(2000);
    expect(sent).toHaveLength(1);
    expect(sent[0]).toMatchObject({
      method: 'PUT',
      address: '/api/forms/lend/entry-draft',
      body: { at: 5, about: 'Quay', content: { state: { values: { note: '5' } } } },
    });
  });

  it('the one that the server got since this browser had its own is the draft', async () => {
    const keeper = new DraftKeeper('lend', 7);
    await keeper.keep(draft(1000, 'here'), '');
    await vi.advanceTimersByTimeAsync(2000);
    // It knows of the time 500 now.
    expect(note(await keeper.read(onServer(400, 'there')))).toBe('here');
    expect(note(await keeper.read(onServer(600, 'there')))).toBe('there');
    // What was typed since, and has not been sent, is newer than anything there.
    await keeper.keep(draft(1, 'typed since'), '');
    expect(note(await keeper.read(onServer(600, 'there')))).toBe('typed since');
  });

  it('another record, another form and what a link carries are drafts of their own', async () => {
    await new DraftKeeper('lend', 7).keep(draft(1, 'seven'), '');
    expect(await new DraftKeeper('lend', 8).read(null)).toBeNull();
    expect(await new DraftKeeper('lend', null).read(null)).toBeNull();
    expect(await new DraftKeeper('lend', null, 'with.town=7').read(null)).toBeNull();
    expect(note(await new DraftKeeper('lend', 7).read(null))).toBe('seven');
  });

  it('where the browser keeps nothing, or something else, the server still does', async () => {
    browser.broken = true;
    const keeper = new DraftKeeper('lend', null);
    expect(await keeper.keep(draft(1), '')).toBe(false);
    expect(note(await keeper.read(onServer(1, 'there')))).toBe('there');
    browser.broken = false;
    browser.store.set('unisor:draft:lend', { state: 'of another version' });
    expect(await keeper.read(null)).toBeNull();
    expect(await keeper.read({ ...onServer(1, ''), content: { edition: 'x' } })).toBeNull();
  });

  it('forgotten, it is gone on both sides, and nothing is sent any more', async () => {
    const keeper = new DraftKeeper('lend', null);
    await keeper.keep(draft(1, 'x'), '');
    await keeper.forget();
    await vi.advanceTimersByTimeAsync(5000);
    expect(sent.map(({ method }) => method)).toEqual(['DELETE']);
    expect(await keeper.read(null)).toBeNull();
  });

  it('what was typed right before the page went is there, whatever else was not written any more', async () => {
    const left = new Map<string, string>();
    vi.stubGlobal('localStorage', {
      getItem: (key: string) => left.get(key) ?? null,
      setItem: (key: string, text: string) => void left.set(key, text),
      removeItem: (key: string) => void left.delete(key),
    });
    const keeper = new DraftKeeper('lend', null);
    await keeper.keep(draft(1, 'earlier'), '');
    const before = new Map(browser.store);
    void keeper.flush(draft(2, 'last'), '');
    // The page is gone before the browser has written it.
    await vi.advanceTimersByTimeAsync(0);
    for (const [key, value] of before) browser.store.set(key, value);
    expect(note(await new DraftKeeper('lend', null).read(null))).toBe('last');
    expect(left.size).toBe(0);
    expect(note(await new DraftKeeper('lend', null).read(null))).toBe('last');
    // What is older than what was kept since is not taken.
    void keeper.flush(draft(3, 'last'), '');
    await keeper.keep(draft(4, 'since'), '');
    expect(note(await keeper.read(null))).toBe('since');
    void keeper.flush(draft(5, 'given up'), '');
    await keeper.forget();
    expect(await keeper.read(null)).toBeNull();
  });

  it('a server that is away changes nothing of what is kept here', async () => {
    answer = () => new Response('', { status: 503 });
    const keeper = new DraftKeeper('lend', null);
    await keeper.keep(draft(1, 'x'), '');
    await vi.advanceTimersByTimeAsync(2000);
    expect(note(await keeper.read(onServer(99, 'there')))).toBe('x');
  });
});
