import { describe, expect, it, vi } from 'vitest';
import { render } from 'vitest-browser-svelte';
import { page, userEvent } from 'vitest/browser';
import type { SaidName } from '$lib/ui/designing/said-names';
import { expectNoFindings } from './axe';
import SentencesWorld from './SentencesWorld.svelte';

const names: SaidName[] = [
  { path: ['damaged'], label: 'Damaged', type: { kind: 'yes_no' } },
  { path: ['copies'], label: 'Copies', type: { kind: 'whole', unit: '' } as never },
  { path: ['on_hand'], label: 'On hand', type: { kind: 'whole', unit: '' } as never },
  { path: ['due'], label: 'Due', type: { kind: 'date' } },
];
const select = (name: string) => page.getByRole('combobox', { name, exact: true });

describe('D4 a rule as a sentence', () => {
  it('is a formula as soon as it is whole, and none before', async () => {
    const onchange = vi.fn();
    const { container } = await render(SentencesWorld, { names, onchange });
    await select('Shown when: field').selectOptions('Copies');
    await select('Shown when: comparison').selectOptions('is at most');
    expect(onchange).not.toHaveBeenCalled();
    await select('Shown when: value').selectOptions('On hand');
    expect(onchange).toHaveBeenLastCalledWith('copies <= on_hand');
    await expectNoFindings(container);
  });

  it('says yes of a yes or no at once', async () => {
    const onchange = vi.fn();
    await render(SentencesWorld, { names, onchange });
    await select('Shown when: field').selectOptions('Damaged');
    expect(onchange).toHaveBeenLastCalledWith('damaged = true');
    await select('Shown when: value').selectOptions('no');
    expect(onchange).toHaveBeenLastCalledWith('damaged = false');
    await expect.element(select('Shown when: value')).toHaveValue('no');
  });

  it('takes a typed value, and a day reckoned from today', async () => {
    const onchange = vi.fn();
    const { unmount } = await render(SentencesWorld, { names, onchange });
    await select('Shown when: field').selectOptions('Copies');
    await select('Shown when: value').selectOptions('a value');
    await page.getByRole('textbox', { name: 'Shown when: value, the value' }).fill('12');
    await userEvent.tab();
    expect(onchange).toHaveBeenLastCalledWith('copies = 12');
    await unmount();
    await render(SentencesWorld, { names, onchange });
    await select('Shown when: field').selectOptions('Due');
    await select('Shown when: comparison').selectOptions('is before');
    await select('Shown when: value').selectOptions('today');
    await expect.element(select('Shown when: value')).toHaveValue('today');
    await select('Shown when: value, before or after today').selectOptions('plus');
    await select('Shown when: value, days, weeks or months').selectOptions('weeks');
    expect(onchange.mock.lastCall?.[0]).toBe('due < today() + duration("P7D")');
  });

  it('joins clauses, and drops what does not go with another field', async () => {
    const onchange = vi.fn();
    await render(SentencesWorld, { names, onchange, formula: 'copies <= on_hand' });
    await page.getByRole('button', { name: '+ and' }).click();
    await select('Shown when: field 2').selectOptions('Damaged');
    expect(onchange).toHaveBeenLastCalledWith('copies <= on_hand and damaged = true');
    await select('Shown when: and, or').selectOptions('or');
    expect(onchange).toHaveBeenLastCalledWith('copies <= on_hand or damaged = true');
    await page.getByRole('button', { name: 'Shown when: remove condition 1' }).click();
    expect(onchange).toHaveBeenLastCalledWith('damaged = true');
    await select('Shown when: field').selectOptions('Due');
    await expect.element(select('Shown when: comparison')).toHaveValue('=');
  });
});
