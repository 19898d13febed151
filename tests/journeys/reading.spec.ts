import AxeBuilder from '@axe-core/playwright';
import { expect, type Page } from '@playwright/test';
import { readFileSync } from 'node:fs';
import { at, test, visit } from './helpers';

/** One page of each kind. */
const pages = [
  '/',
  '/forms',
  '/forms/lend_music',
  '/forms/region?record=2',
  '/forms/condition_report',
  '/forms/lend_music/design',
  '/forms/hall_check?record=1',
  '/forms/hall_check/answers?compare=year&from=2026-01-01',
  '/tables/check_question/questions',
  '/tables',
  '/tables/ensemble',
  '/tables/instrument/columns',
  '/tables/instrument/used',
  '/tables/instrument/records/5',
  '/tables/instrument/bring',
  '/tables/new',
  '/tables/new?from=hand',
  '/tables/new?from=paste',
  '/keeping',
  '/forms/lend_music/drift',
  '/tables/new?from=package',
  '/tables/hall_check/records/11',
  '/lists',
  '/outside',
  '/outside/outbox',
  '/activity',
  '/activity?of=people',
  '/people',
  '/people/rights?role=lending_clerk',
  '/account',
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
  '/forms/hall_check/answers?compare=year&from=2026-01-01',
  '/tables/ensemble',
  '/tables/instrument/columns',
  '/lists',
  '/outside',
  '/people',
  '/people/rights?role=lending_clerk',
];

/** Every page is walked in each way with this switch; otherwise those that are walked in two ways are shared out. */
const all = process.env.UNISOR_WALKS === 'all';
const every = (n: number, of: readonly string[], from: number) =>
  all ? of : of.filter((_, i) => i % n === from);

for (const [width, colorScheme, meant] of [
  [1280, 'light', pages],
  [360, 'dark', every(2, narrow, 0)],
] as const) {
  test(`every page can be read by assistive programs and fits, ${width} wide, ${colorScheme}`, async ({
    page,
  }) => {
    test.setTimeout(480_000);
    await page.setViewportSize({ width, height: 760 });
    await page.emulateMedia({ colorScheme });
    for (const path of meant) {
      await visit(page, path);
      expect(await findings(page, path)).toEqual([]);
      expect(await tooWide(page), `${path} is too wide`).toBe(0);
    }
  });
}

test('whoever is not known can read the page of signing in', async ({ browser }) => {
  const context = await browser.newContext({ storageState: { cookies: [], origins: [] } });
  const page = await context.newPage();
  for (const [width, colorScheme] of [
    [1280, 'light'],
    [360, 'dark'],
  ] as const) {
    await page.setViewportSize({ width, height: 760 });
    await page.emulateMedia({ colorScheme });
    await page.goto(at('/sign-in'), { waitUntil: 'networkidle' });
    expect(await findings(page, '/sign-in')).toEqual([]);
    expect(await tooWide(page)).toBe(0);
  }
  await context.close();
});

test('no page is wider than the screen: at 200 % of 1280, and at 768 and 1920', async ({
  page,
}) => {
  test.setTimeout(180_000);
  for (const path of narrow) {
    await visit(page, path);
    for (const width of [640, 768, 1920]) {
      await page.setViewportSize({ width, height: 760 });
      await expect.poll(() => tooWide(page), { message: `${path} at ${width}` }).toBe(0);
    }
  }
});

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
      headers: { 'accept-language': locale },
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

/** English words of the interface that are other words in a language: none of them may stand on its pages. */
function englishOf(language: string): string[] {
  const read = (file: string) => {
    const text = readFileSync(`src/locales/${file}.po`, 'utf8');
    return new Map(
      [...text.matchAll(/^msgid "(.+)"\nmsgstr "(.+)"$/gm)].map((m) => [m[1] ?? '', m[2] ?? '']),
    );
  };
  return [...read(language)]
    .filter(
      ([english, words]) => english !== words && /^[A-Z][a-z]+(?: [a-z]+)+[.…]?$/.test(english),
    )
    .map(([english]) => english);
}

for (const [language, locale, meant, foreign] of [
  [
    'de',
    'de-DE',
    every(2, pages, 0),
    /\b\d{1,2} (?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sept?|Oct|Nov|Dec) \d{4}\b|\b\d{1,3},\d{3}\b/,
  ],
  [
    'fr',
    'fr-FR',
    every(2, pages, 1),
    /\b(?:Jan|Feb|Mar|Apr|May|Jun|Jul|Aug|Sep|Oct|Nov|Dec) \d{1,2}, \d{4}\b|\b\d{1,3},\d{3}\b/,
  ],
] as const) {
  test(`every page speaks ${language}: no word, day or number of another language`, async ({
    browser,
  }) => {
    test.setTimeout(180_000);
    const english = englishOf(language);
    expect(english.length).toBeGreaterThan(200);
    const context = await browser.newContext({ locale, timezoneId: 'Europe/Berlin' });
    const page = await context.newPage();
    for (const path of meant) {
      await visit(page, path);
      await expect(page.locator('html')).toHaveAttribute('lang', language);
      const text = await page.locator('body').innerText();
      const lines = text.split('\n').map((line) => line.trim());
      expect(
        english.filter((words) => lines.includes(words)),
        path,
      ).toEqual([]);
      // What was begun is told there in the words in which it was typed.
      const told = path === '/' || path === '/forms' ? '' : text;
      expect(foreign.exec(told)?.[0] ?? '', path).toBe('');
    }
    await context.close();
  });
}
