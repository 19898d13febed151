import { describe, expect, it, vi } from 'vitest';
import { render } from 'vitest-browser-svelte';
import { page, userEvent } from 'vitest/browser';
import { problem } from '$lib/core/problems';
import type { Found } from '$lib/ui/parts';
import { expectNoFindings } from './axe';
import ComboboxWorld from './ComboboxWorld.svelte';

const towns = ['Amberwick', 'Brackwater', 'Brindle', 'Coldmere', 'Dunmoor'];
const searched = (search: string): Found<string> => ({
  choices: towns.filter((town) => town.toLowerCase().startsWith(search.toLowerCase())),
});

const box = page.getByRole('combobox', { name: 'Town' });
const options = page.getByRole('option');
const find = (search: string) => Promise.resolve(searched(search));

describe('B1 the combobox', () => {
  it('is searched by typing and takes what answers what was typed', async () => {
    const onchoose = vi.fn();
    await render(ComboboxWorld, { find, onchoose });
    await box.click();
    await expect.element(options.nth(4)).toHaveTextContent('Dunmoor');
    await userEvent.keyboard('bri');
    await expect.element(options).toHaveTextContent('Brindle');
    await userEvent.keyboard('{Enter}');
    expect(onchoose.mock.calls).toEqual([['Brindle']]);
    await expect.element(box).toHaveValue('Brindle');
    await expect.element(box).toHaveAttribute('aria-expanded', 'false');
  });

  it('is walked by arrow keys, tells which option is active, and closes without a choice by Escape', async () => {
    const onchoose = vi.fn();
    const { container } = await render(ComboboxWorld, { find, onchoose });
    await userEvent.tab();
    await userEvent.keyboard('{ArrowDown}');
    await expect.element(options.nth(0)).toHaveAttribute('aria-selected', 'true');
    await userEvent.keyboard('{ArrowDown}{ArrowDown}{ArrowUp}');
    await expect.element(box).toHaveAttribute('aria-activedescendant', 'town-o1');
    await expectNoFindings(container);
    await userEvent.keyboard('{Escape}');
    await expect.element(box).toHaveAttribute('aria-expanded', 'false');
    expect(onchoose).not.toHaveBeenCalled();
    await expect.element(box).toHaveFocus();
  });

  it('opens at what is chosen, and Enter there changes nothing', async () => {
    const onchoose = vi.fn();
    await render(ComboboxWorld, { find, onchoose, shown: 'Coldmere' });
    await userEvent.tab();
    await userEvent.keyboard('{ArrowDown}');
    await expect.element(options.nth(3)).toHaveAttribute('aria-selected', 'true');
    await expect.element(options.nth(3)).toHaveTextContent('chosen now: Coldmere');
    await userEvent.keyboard('{Enter}');
    await expect.element(box).toHaveAttribute('aria-expanded', 'false');
    expect(onchoose).not.toHaveBeenCalled();
  });

  describe('with a search that is told part by part', () => {
    const nothing: Found<string> = { choices: [] };
    /** What is found stands in the third part only. */
    const parts: Found<string>[] = [
      { choices: [], next: '1', looked: { rows: 20_000, of: 60_000 } },
      { choices: [], next: '2', looked: { rows: 40_000, of: 60_000 } },
      { choices: ['Dunmoor'], next: null },
    ];
    const partly = vi.fn((search: string, after?: string) =>
      Promise.resolve(search === 'dun' ? (parts[Number(after ?? 0)] ?? nothing) : searched(search)),
    );

    it('goes on by itself until something is found', async () => {
      await render(ComboboxWorld, { find: partly, onchoose: vi.fn() });
      await box.click();
      await userEvent.keyboard('dun');
      await expect.element(options).toHaveTextContent('Dunmoor');
      const asked = partly.mock.calls.filter(([search]) => search === 'dun');
      expect(asked.map(([, after]) => after)).toEqual([undefined, '1', '2']);
    });

    it.each(['{Enter}', '{Tab}'])('takes by %s what is found in the end', async (key) => {
      const onchoose = vi.fn();
      await render(ComboboxWorld, { find: partly, onchoose });
      await box.click();
      await userEvent.keyboard(`dun${key}`);
      await vi.waitFor(() => expect(onchoose.mock.calls).toEqual([['Dunmoor']]));
    });

    it('says that nothing fits only when all was looked through', async () => {
      const none = vi.fn((_: string, after?: string) =>
        Promise.resolve(
          after === '1' ? { choices: [], next: null } : { choices: [], next: '1', looked: null },
        ),
      );
      await render(ComboboxWorld, { find: none, onchoose: vi.fn() });
      await box.click();
      await userEvent.keyboard('zzz{Tab}');
      await expect
        .element(page.getByText('“zzz” does not match anything in the list.'))
        .toBeVisible();
      expect(none.mock.calls.some(([search, after]) => search === 'zzz' && after === '1')).toBe(
        true,
      );
    });

    it('stops going on where a part cannot be read, and says why', async () => {
      const failing = vi.fn((search: string, after?: string) =>
        Promise.resolve(
          search === ''
            ? searched('')
            : after === undefined
              ? (parts[0] ?? nothing)
              : problem('unreachable'),
        ),
      );
      await render(ComboboxWorld, { find: failing, onchoose: vi.fn() });
      await box.click();
      await userEvent.keyboard('dun');
      await vi.waitFor(() => expect(failing.mock.lastCall?.[1]).toBe('1'));
      const before = failing.mock.calls.length;
      await userEvent.keyboard('{Enter}');
      expect(failing.mock.calls.length).toBeLessThan(before + 3);
    });
  });

  it('takes nothing from an answer to an older text, in whatever order answers come', async () => {
    const onchoose = vi.fn();
    const waiting = new Map<string, (found: Found<string>) => void>();
    const slow = (search: string) =>
      new Promise<Found<string>>((answer) => waiting.set(search, answer));
    await render(ComboboxWorld, { find: slow, onchoose });
    await userEvent.tab();
    await userEvent.keyboard('b');
    await vi.waitFor(() => expect(waiting.has('b')).toBe(true));
    await userEvent.keyboard('ri');
    await vi.waitFor(() => expect(waiting.has('bri')).toBe(true));
    await userEvent.keyboard('{Enter}');
    waiting.get('b')?.(searched('b'));
    waiting.get('bri')?.(searched('bri'));
    await vi.waitFor(() => expect(onchoose.mock.calls).toEqual([['Brindle']]));
  });

  it('ends the search of the letter before', async () => {
    const signals: AbortSignal[] = [];
    const asking = (search: string, _after?: string, signal?: AbortSignal) => {
      if (signal) signals.push(signal);
      return search === 'b' ? new Promise<Found<string>>(() => undefined) : find(search);
    };
    await render(ComboboxWorld, { find: asking, onchoose: () => undefined });
    await userEvent.tab();
    await userEvent.keyboard('b');
    await vi.waitFor(() => expect(signals.length).toBeGreaterThan(0));
    const first = signals.at(-1);
    await userEvent.keyboard('r');
    await vi.waitFor(() => expect(first?.aborted).toBe(true));
  });

  it('takes what is found when it is left by Tab, and gives the cursor on', async () => {
    const onchoose = vi.fn();
    await render(ComboboxWorld, { find, onchoose });
    await userEvent.tab();
    await userEvent.keyboard('cold');
    await userEvent.tab();
    await vi.waitFor(() => expect(onchoose.mock.calls).toEqual([['Coldmere']]));
    await expect.element(page.getByText('Elsewhere')).toHaveFocus();
  });

  it('keeps a text that names nothing, marked, and gives it to whoever takes it', async () => {
    const [onchoose, ontext] = [vi.fn(), vi.fn()];
    const { unmount } = await render(ComboboxWorld, { find, onchoose });
    await userEvent.tab();
    await userEvent.keyboard('Zed');
    await userEvent.tab();
    await expect.element(box).toHaveValue('Zed');
    await expect.element(box).toHaveAttribute('aria-invalid', 'true');
    await expect.element(page.getByText('does not match anything')).toBeVisible();
    await unmount();
    await render(ComboboxWorld, { find, onchoose, ontext });
    await userEvent.tab();
    await userEvent.keyboard('Zed');
    await userEvent.tab();
    await vi.waitFor(() => expect(ontext.mock.calls).toEqual([['Zed']]));
    expect(onchoose).not.toHaveBeenCalled();
  });

  it('is emptied by deleting, unless something is always chosen', async () => {
    const onchoose = vi.fn();
    const { unmount } = await render(ComboboxWorld, { find, onchoose, shown: 'Coldmere' });
    await userEvent.tab();
    await userEvent.keyboard('{Delete}');
    expect(onchoose.mock.calls).toEqual([[null]]);
    await unmount();
    await render(ComboboxWorld, { find, onchoose, shown: 'Coldmere', keeps: true });
    await userEvent.tab();
    await userEvent.keyboard('{Delete}');
    await userEvent.tab();
    await expect.element(box).toHaveValue('Coldmere');
    expect(onchoose).toHaveBeenCalledTimes(1);
  });

  it('brings the next page when its end comes into sight', async () => {
    const asked: (string | undefined)[] = [];
    const paged = (_search: string, after?: string): Promise<Found<string>> => {
      asked.push(after);
      const from = Number(after ?? 0);
      const choices = Array.from({ length: 30 }, (_, i) => `Town ${from + i + 1}`);
      return Promise.resolve({ choices, next: from < 60 ? String(from + 30) : null });
    };
    await render(ComboboxWorld, { find: paged, onchoose: () => undefined });
    await userEvent.tab();
    await userEvent.keyboard('{ArrowDown}');
    await expect.element(options.nth(29)).toBeInTheDocument();
    await userEvent.keyboard('{ArrowDown>30/}');
    await expect.element(options.nth(59)).toBeInTheDocument();
    expect(asked.slice(0, 2)).toEqual([undefined, '30']);
  });

  it('tells why nothing could be found, and does what else there is to do', async () => {
    const add = vi.fn();
    const failing = () => Promise.resolve(problem('busy', {}));
    await render(ComboboxWorld, { find: failing, onchoose: () => undefined, besides: { a: add } });
    await userEvent.tab();
    await userEvent.keyboard('{ArrowDown}');
    await expect.element(page.getByText(problem('busy', {}).message)).toBeVisible();
    await userEvent.keyboard('new{Alt>}a{/Alt}');
    expect(add.mock.calls).toEqual([['new']]);
  });
});
