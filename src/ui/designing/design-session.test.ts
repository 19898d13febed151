import { afterAll, afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { loanPlan } from '../../../tests/support/definitions';
import { updateField } from '../../core/plan/edit';
import { type Plan } from '../../core/plan/schema';
import { fieldOf } from '../../core/plan/scopes';
import { DesignSession } from './design-session.svelte';

/** What the browser keeps. */
// Others may have brought in what is put in the place of something here.
vi.hoisted(() => vi.resetModules());
afterAll(() => vi.resetModules());

const store = vi.hoisted(() => new Map<string, unknown>());
vi.mock('idb-keyval', () => ({
  get: async (key: string) => store.get(key),
  set: async (key: string, value: unknown) => void store.set(key, structuredClone(value)),
}));

let held: { revision: number; plan: Plan };
let away: boolean;
let puts: number;

beforeEach(() => {
  held = { revision: 1, plan: loanPlan() };
  [away, puts] = [false, 0];
  vi.stubGlobal('fetch', async (address: string, init: { body?: string }) => {
    if (away) throw new TypeError('refused');
    if (init?.body === undefined) {
      if (address.endsWith(`known=${held.revision}`)) return new Response(null, { status: 204 });
      const form = { revision: held.revision, edition: 0, changed: true, draftBy: 'Maren' };
      return Response.json({ form, plan: held.plan });
    }
    const body = JSON.parse(init.body) as { revision: number; plan: Plan };
    const head = () => ({ revision: held.revision, edition: 0, changed: true });
    if (address.endsWith('/editions'))
      return Response.json({ ...head(), edition: 1, changed: false });
    puts++;
    if (body.revision !== held.revision) {
      const problems = [{ path: '', code: 'draft_changed', message: 'Changed.', hint: '' }];
      return Response.json({ problems }, { status: 409 });
    }
    held = { revision: held.revision + 1, plan: body.plan };
    return Response.json(head());
  });
});
afterEach(() => {
  vi.unstubAllGlobals();
  vi.useRealTimers();
});

const open = () => new DesignSession('lend', held.plan, { revision: 1, edition: 0, changed: true });
const rename = (label: string) => (plan: Plan) => updateField(plan, 'town', { label });
const label = (plan: Plan) => fieldOf(plan, 'town')?.label;
const kept = (design: DesignSession) => vi.waitFor(() => expect(design.state).toBe('kept'));

describe('G9 every change of a draft is kept by itself and can be undone', () => {
  it('says under which revision the server holds a plan, as soon as it does, and which it never will', async () => {
    const design = open();
    expect(await design.revisionOf(design.plan)).toBe(1);
    away = true;
    design.apply(rename('First'));
    const first = design.revisionOf(design.plan);
    design.apply(rename('Second'));
    const second = design.revisionOf(design.plan);
    expect(await first).toBeNull();
    let said: number | null | undefined;
    void second.then((revision) => (said = revision));
    await vi.waitFor(() => expect(design.state).toBe('away'));
    expect(said).toBeUndefined();
    away = false;
    await vi.waitFor(() => expect(said).toBe(held.revision), 5000);
    expect(label(held.plan)).toBe('Second');
  });

  it('keeps the last of many quick changes, one request after the other', async () => {
    const design = open();
    for (let i = 1; i <= 20; i++) design.apply(rename(`Town ${i}`));
    await vi.waitFor(() => expect(label(held.plan)).toBe('Town 20'));
    await kept(design);
    expect(design.revision).toBe(held.revision);
    expect(puts).toBeLessThan(5);
  });

  it('undoes and redoes, and a new change ends what could be redone', async () => {
    const design = open();
    design.apply(rename('A'));
    design.apply(rename('B'));
    design.undo();
    expect(label(design.plan)).toBe('A');
    design.redo();
    expect(label(design.plan)).toBe('B');
    design.undo();
    design.undo();
    expect(label(design.plan)).toBe('town');
    expect(design.canUndo).toBe(false);
    design.apply(rename('C'));
    expect(design.canRedo).toBe(false);
    await vi.waitFor(() => expect(label(held.plan)).toBe('C'));
  });

  it('an edit that changes nothing is no step', () => {
    const design = open();
    design.apply((plan) => plan);
    expect(design.canUndo).toBe(false);
    expect(puts).toBe(0);
  });

  it('waits while the server is away, and sends when it is back', async () => {
    vi.useFakeTimers();
    const design = open();
    away = true;
    design.apply(rename('Kept here'));
    await vi.waitFor(() => expect(design.state).toBe('away'));
    away = false;
    await vi.advanceTimersByTimeAsync(3000);
    expect(label(held.plan)).toBe('Kept here');
    expect(design.state).toBe('kept');
  });

  it('overwrites nothing that another person changed meanwhile', async () => {
    const design = open();
    held = { revision: 7, plan: rename('Theirs')(held.plan) };
    design.apply(rename('Mine'));
    await vi.waitFor(() => expect(design.state).toBe('refused'));
    expect(design.problems[0]?.code).toBe('draft_changed');
    expect(label(held.plan)).toBe('Theirs');
    expect(label(design.plan)).toBe('Mine');
  });

  it('sees what another person changed, takes it over, and can step back', async () => {
    const design = open();
    await design.look();
    expect(design.meanwhile).toBeNull();
    held = { revision: 2, plan: rename('Theirs')(held.plan) };
    await design.look();
    expect([label(design.plan), design.revision]).toEqual(['Theirs', 2]);
    expect(design.meanwhile).toMatchObject({ by: 'Maren' });
    design.undo();
    await kept(design);
    expect(label(held.plan)).toBe('town');
  });

  it.each([
    ['theirs', 'Theirs'],
    ['mine', 'Mine'],
  ] as const)('lets a person settle a clash with %s', async (whose, expected) => {
    const design = open();
    held = { revision: 7, plan: rename('Theirs')(held.plan) };
    design.apply(rename('Mine'));
    await vi.waitFor(() => expect(design.meanwhile).toMatchObject({ by: 'Maren' }));
    expect(label(design.meanwhile?.after ?? loanPlan())).toBe('Theirs');
    await design.settle(whose);
    await kept(design);
    expect([label(design.plan), label(held.plan)]).toEqual([expected, expected]);
    expect(design.meanwhile).toBeNull();
  });

  it('publishes only what is kept', async () => {
    const design = open();
    design.apply(rename('Final'));
    expect(await design.publish()).toEqual([]);
    expect(label(held.plan)).toBe('Final');
    expect(design.edition).toBe(1);
  });
});

describe('G9 the steps of undo outlive the page', () => {
  it('where the draft is still the one that they lead to', async () => {
    vi.useFakeTimers();
    const first = open();
    first.apply(rename('Place'));
    first.apply(rename('Village'));
    await vi.advanceTimersByTimeAsync(1000);
    const second = open();
    await second.recall();
    expect(label(second.plan)).toBe('Village');
    second.undo();
    expect(label(second.plan)).toBe('Place');
    second.undo();
    expect(label(second.plan)).toBe('town');
    expect(second.canUndo).toBe(false);
    second.redo();
    expect(label(second.plan)).toBe('Place');
  });

  it('but not where somebody else has changed it meanwhile', async () => {
    vi.useFakeTimers();
    const first = open();
    first.apply(rename('Place'));
    await vi.advanceTimersByTimeAsync(1000);
    held = { ...held, plan: rename('Elsewhere')(held.plan) };
    const second = open();
    await second.recall();
    expect(second.canUndo).toBe(false);
  });
});
