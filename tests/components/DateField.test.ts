import { afterEach, describe, expect, it, vi } from 'vitest';
import { render } from 'vitest-browser-svelte';
import { page, userEvent } from 'vitest/browser';
import { readBy } from '$lib/core/words/reader';
import { expectNoFindings } from './axe';
import DateField from './DateField.svelte';

const box = page.getByRole('textbox', { name: 'Due' });
const date = { kind: 'date' } as const;
/** The cursor begins at the day that stands. */
const atTheDay = () =>
  vi.waitFor(() =>
    expect(document.activeElement?.closest('[role=dialog] td')?.textContent.trim()).toBe('24'),
  );
const reads = (locale: string) => {
  readBy(() => ({ locale, zone: 'Europe/London', language: 'en' }));
};

afterEach(() => {
  reads('en-GB');
  vi.useRealTimers();
});

describe('B4 a day', () => {
  it.each([
    ['en-GB', '24/12/2027', '24 Dec 2027'],
    ['en-US', '12/24/2027', 'Dec 24, 2027'],
    ['de-DE', '24.12.2027', '24.12.2027'],
    ['fr-FR', '24/12/2027', '24 déc. 2027'],
    ['en-GB', '24 dec 2027', '24 Dec 2027'],
    ['en-GB', '2027-12-24', '24 Dec 2027'],
  ])('is typed as the reader of %s writes it: %s', async (locale, typed, shown) => {
    reads(locale);
    const onvalue = vi.fn();
    await render(DateField, { type: date, onvalue });
    await userEvent.tab();
    await userEvent.keyboard(typed);
    await userEvent.tab();
    expect(onvalue).toHaveBeenLastCalledWith('2027-12-24');
    await expect.element(box).toHaveValue(shown);
  });

  it.each([
    ['today', 0],
    ['+7', 7],
    ['-1', -1],
  ])('is reckoned from today: %s', async (typed, days) => {
    const onvalue = vi.fn();
    const day = new Date(Date.now() + days * 86_400_000);
    const iso = new Intl.DateTimeFormat('en-CA', { timeZone: 'Europe/London' }).format(day);
    await render(DateField, { type: date, onvalue });
    await userEvent.tab();
    await userEvent.keyboard(typed);
    await userEvent.tab();
    expect(onvalue).toHaveBeenLastCalledWith(iso);
  });

  it('stays as it was typed where it is none', async () => {
    const onvalue = vi.fn();
    await render(DateField, { type: date, onvalue });
    await userEvent.tab();
    await userEvent.keyboard('31 feb 2027');
    await userEvent.tab();
    await expect.element(box).toHaveValue('31 feb 2027');
    await expect.element(box).toHaveAttribute('aria-invalid', 'true');
    expect(onvalue).not.toHaveBeenCalledWith(expect.stringMatching(/2027-0[23]/));
  });

  it('is chosen in a calendar by keyboard, which gives the cursor back', async () => {
    const onvalue = vi.fn();
    const { container } = await render(DateField, { type: date, value: '2027-12-24', onvalue });
    await userEvent.tab();
    await userEvent.keyboard('{Alt>}{ArrowDown}{/Alt}');
    const calendar = page.getByRole('dialog', { name: 'Open the calendar' });
    await expect.element(calendar).toBeVisible();
    await expectNoFindings(container);
    await atTheDay();
    await userEvent.keyboard('{ArrowRight}{Enter}');
    expect(onvalue).toHaveBeenLastCalledWith('2027-12-25');
    await expect.element(box).toHaveFocus();
    await userEvent.keyboard('{Alt>}{ArrowDown}{/Alt}');
    await expect.element(calendar).toBeVisible();
    await userEvent.keyboard('{Escape}');
    await expect.element(calendar).not.toBeInTheDocument();
    await expect.element(box).toHaveFocus();
  });

  it.each([
    ['en-GB', 'Mon', 'December 2027'],
    ['en-US', 'Sun', 'December 2027'],
    ['de-DE', 'Mo', 'Dezember 2027'],
  ])('is chosen in a week as the reader of %s counts it', async (locale, first, month) => {
    reads(locale);
    const onvalue = vi.fn();
    await render(DateField, { type: date, value: '2027-12-24', onvalue });
    await userEvent.tab();
    await userEvent.keyboard('{Alt>}{ArrowDown}{/Alt}');
    await expect.element(page.getByText(month, { exact: true })).toBeVisible();
    expect(document.querySelector('[role=dialog] th')?.textContent).toBe(first);
    await atTheDay();
    await userEvent.keyboard('{ArrowDown}{Enter}');
    expect(onvalue).toHaveBeenLastCalledWith('2027-12-31');
  });

  it('and a time are those of the reader’s zone', async () => {
    const moment = { kind: 'date_time' } as const;
    const onvalue = vi.fn();
    await render(DateField, { type: moment, value: '2027-07-01T12:30:00Z', onvalue });
    // London keeps summer time in July.
    await expect.element(box).toHaveValue('1 Jul 2027, 13:30');
  });
});
