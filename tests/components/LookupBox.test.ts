import { describe, expect, it, vi } from 'vitest';
import { render } from 'vitest-browser-svelte';
import { page, userEvent } from 'vitest/browser';
import type { Offer } from '$lib/core/entry/asks';
import LookupBox from '$lib/ui/filling/LookupBox.svelte';
import { expectNoFindings } from './axe';

const scores = [
  ['Lantern Waltz', 12],
  ['Rain Idyll', 8],
  ['Wharf March', 20],
] as const;
const columns = [
  { label: 'Title', type: { kind: 'text', format: 'plain', length: 100 } },
  { label: 'Pages', type: { kind: 'whole' } },
] as const;

const offered = (search: string): Offer => {
  const choices = scores
    .map(([title, pages], i) => ({ value: i + 1, shown: [title, pages] }))
    .filter(({ shown }) => String(shown[0]).toLowerCase().includes(search.toLowerCase()));
  return { choices, found: choices.length, more: false, next: null } as unknown as Offer;
};
const list = (search: string) => Promise.resolve(offered(search));
const box = page.getByRole('combobox', { name: 'Score' });
const common = { id: 'score', label: 'Score', named: true, columns, list } as const;

describe('B1 a lookup', () => {
  it('shows the columns of what can be chosen, the letters that were typed marked', async () => {
    const onchoose = vi.fn();
    const { container } = await render(LookupBox, { ...common, shown: '', onchoose });
    await userEvent.tab();
    await userEvent.keyboard('rain');
    const option = page.getByRole('option');
    await expect.element(option).toHaveTextContent(/Rain Idyll\s*8/);
    await expect.element(page.getByText('1 of 1 shown')).toBeVisible();
    await vi.waitFor(() =>
      expect(container.ownerDocument.querySelector('[role=option] mark')?.textContent).toBe('Rain'),
    );
    await expectNoFindings(container);
    await userEvent.keyboard('{Enter}');
    expect(onchoose.mock.calls).toEqual([[expect.objectContaining({ value: 2 })]]);
  });

  it('opens at its choice, marked', async () => {
    const onchoose = vi.fn();
    await render(LookupBox, { ...common, shown: 'Wharf March', current: 3, onchoose });
    await userEvent.tab();
    await userEvent.keyboard('{ArrowDown}');
    await expect.element(page.getByRole('option').nth(2)).toHaveAttribute('aria-selected', 'true');
    await userEvent.keyboard('{Enter}');
    expect(onchoose).not.toHaveBeenCalled();
  });

  it('says that more were found than are counted', async () => {
    const many = () => Promise.resolve({ ...offered(''), found: 300, more: true });
    await render(LookupBox, { ...common, list: many, shown: '', onchoose: () => undefined });
    await userEvent.tab();
    await userEvent.keyboard('{ArrowDown}');
    await expect.element(page.getByText('3 of more than 300 shown')).toBeVisible();
  });

  it('says why nothing is offered, and opens the list as a table and a new record', async () => {
    const [onpick, onadd] = [vi.fn(), vi.fn()];
    const why = () => ['No score is in Dunmoor.'];
    const given = { ...common, shown: '', onchoose: () => undefined, why, onpick, onadd };
    await render(LookupBox, given);
    await userEvent.tab();
    await userEvent.keyboard('zzz');
    await expect.element(page.getByText('No score is in Dunmoor.')).toBeVisible();
    await expect.element(page.getByText('Add new')).toBeVisible();
    await userEvent.keyboard('{Alt>}a{/Alt}');
    expect(onadd.mock.calls).toEqual([['zzz']]);
    await userEvent.keyboard('rain{Alt>}p{/Alt}');
    expect(onpick.mock.calls).toEqual([['rain']]);
  });

  it('takes nothing where it cannot be changed', async () => {
    const onchoose = vi.fn();
    await render(LookupBox, { ...common, shown: 'Rain Idyll', disabled: true, onchoose });
    await userEvent.tab();
    await userEvent.keyboard('{ArrowDown}{Delete}');
    await expect.element(box).toHaveValue('Rain Idyll');
    await expect.element(box).toHaveAttribute('aria-expanded', 'false');
    expect(onchoose).not.toHaveBeenCalled();
  });
});
