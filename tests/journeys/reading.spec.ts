import AxeBuilder from '@axe-core/playwright';
import { expect, test, type Page } from '@playwright/test';
import { at, visit } from './helpers';

/** One page of each kind. */
const pages = [
  '/',
  '/forms',
  '/forms/lend_music',
  '/forms/region?record=2',
  '/forms/condition_report',
  '/forms/lend_music/design',
  '/tables',
  '/tables/ensemble',
  '/tables/instrument/columns',
  '/tables/instrument/used',
  '/tables/instrument/records/5',
  '/tables/instrument/bring',
  '/tables/new',
  '/tables/new?from=hand',
  '/lists',
  '/outside',
  '/outside/outbox',
  '/activity',
];

const rules = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'];

async function findings(page: Page, path: string): Promise<string[]> {
  const { violations } = await new AxeBuilder({ page }).withTags(rules).analyze();
  return violations.map((v) => `${path} ${v.id}: ${v.nodes.map((n) => n.target).join(' ')}`);
}

/** How far a page, or the part of it that scrolls, is wider than the screen. */
async function tooWide(page: Page): Promise<number> {
  return page.evaluate(() => {
    const main = document.querySelector('main');
    const whole = document.documentElement.scrollWidth - window.innerWidth;
    return Math.max(0, whole, main ? main.scrollWidth - main.clientWidth : 0);
  });
}

/** Where there is little room: pages with a grid, a sheet, a ledger, a form to type into. */
const narrow = [
  '/',
  '/forms/lend_music',
  '/forms/lend_music/design',
  '/tables/ensemble',
  '/tables/instrument/columns',
  '/lists',
  '/outside',
];

for (const [width, colorScheme, meant] of [
  [1280, 'light', pages],
  [360, 'dark', narrow],
] as const) {
  test(`every page can be read by assistive programs and fits, ${width} wide, ${colorScheme}`, async ({
    page,
  }) => {
    test.setTimeout(300_000);
    await page.setViewportSize({ width, height: 760 });
    await page.emulateMedia({ colorScheme });
    for (const path of meant) {
      await visit(page, path);
      expect(await findings(page, path)).toEqual([]);
      expect(await tooWide(page), `${path} is too wide`).toBe(0);
    }
  });
}

for (const [locale, zone, direction] of [
  ['de-DE', 'Europe/Berlin', 'ltr'],
  ['fr-FR', 'Europe/Paris', 'ltr'],
  ['en-US', 'America/Chicago', 'ltr'],
  ['ar-EG', 'Africa/Cairo', 'rtl'],
] as const) {
  test(`days and numbers are written as in ${locale}, by the server as in the page`, async ({
    browser,
  }) => {
    const context = await browser.newContext({ locale, timezoneId: zone });
    const page = await context.newPage();
    await page.goto(at('/tables'), { waitUntil: 'networkidle' });
    await expect(page.locator('html')).toHaveAttribute('dir', direction);
    await expect(page.locator('html')).toHaveAttribute('data-zone', zone);
    // Copy movement is the longest table: its count has groups of digits.
    const movements = page.getByRole('row', { name: /^Copy movement/ }).locator('.num');
    const plain = await page.request.get(at('/tables'), { headers: { 'accept-language': 'en' } });
    const [, count = ''] = /Copy movement<\/a>[\s\S]*?>([\d,]{5,})</.exec(await plain.text()) ?? [];
    const number = new Intl.NumberFormat(locale).format(Number(count.replace(/,/g, '')));
    await expect(movements.first()).toHaveText(number);
    // What the server wrote is what stands there once the page is alive.
    const written = await page.request.get(at('/tables'), {
      headers: { 'accept-language': locale, cookie: `unisor_zone=${zone}` },
    });
    expect(await written.text()).toContain(number);
    await page.goto(at('/forms/lend_music'), { waitUntil: 'networkidle' });
    const lent = page.locator('#f-lent_on');
    await lent.fill('2027-03-01');
    await lent.press('Tab');
    const format = { dateStyle: 'medium', calendar: 'gregory', timeZone: 'UTC' } as const;
    const day = new Intl.DateTimeFormat(locale, format).format(new Date('2027-03-01'));
    await expect(lent).toHaveValue(day);
    await lent.fill('+7');
    await lent.press('Tab');
    await expect(lent).not.toHaveValue('+7');
    await expect(lent).toHaveAttribute('aria-invalid', 'false');
    await context.close();
  });
}
