import { expect, type Page } from '@playwright/test';
import { test } from './helpers';

/** Where a large house runs (`npm start -- --large`); without one there is nothing to try. */
const large = process.env.UNISOR_LARGE ?? '';

test.use({ storageState: { cookies: [], origins: [] } });
test.skip(large === '', 'wants a large house: UNISOR_LARGE=http://127.0.0.1:4180');

/** From a key to the next picture, with nothing else to do, in milliseconds. */
const slowestKey = 400;
/** From the last key to a list that belongs to it. */
const slowestAnswer = 1000;

/** Types into what has the cursor, at a quick hand's pace; gives how long the slowest key took to be shown. */
async function typed(page: Page, text: string): Promise<number> {
  let slowest = 0;
  for (const letter of text) {
    const began = performance.now();
    await page.keyboard.type(letter);
    await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => done(null))));
    slowest = Math.max(slowest, performance.now() - began);
    await page.waitForTimeout(70);
  }
  return slowest;
}

test('Brida searches a million scores as she types, and never waits', async ({ page }) => {
  test.setTimeout(180_000);
  await page.goto(`${large}/sign-in`, { waitUntil: 'networkidle' });
  await page.getByRole('button', { name: /Ottilie Marrable/ }).click();
  await page.waitForURL(`${large}/`);
  await page.goto(`${large}/forms/lend_music`, { waitUntil: 'networkidle' });
  const box = page.getByRole('gridcell', { name: /^Score, new line:/ });
  const list = page.locator('#f-lines-cell-list');
  const options = list.getByRole('option');
  const took: string[] = [];
  // Rare and common words, two and three of them, codes begun and whole, one letter, what is in no row.
  const texts = [
    ...['th', 'lantern', 'lantern quist', 'rain idyll', 'the', 'a', 'SC-5', 'SC-0512', 'waltz'],
    ...['quist', 'waltz of the harbour', 'for', 'joran velden waltz', 'zebra', '%', '12345'],
  ];
  for (const text of texts) {
    await box.focus();
    const slowest = await typed(page, text);
    const began = performance.now();
    const words = text.toLowerCase().split(' ');
    await expect
      .poll(
        async () => {
          const first = (await options.count()) > 0 ? await options.first().innerText() : '';
          const here = first.toLowerCase();
          const isAnswer = words.every((word) => here.includes(word));
          return isAnswer || (await page.getByText('Nothing matches').isVisible());
        },
        { message: text, timeout: 10_000, intervals: [20] },
      )
      .toBe(true);
    const answered = performance.now() - began;
    took.push(`${text}: key ${Math.round(slowest)}, answer ${Math.round(answered)}`);
    expect(slowest, `a key of “${text}”`).toBeLessThan(slowestKey);
    expect(answered, `the list of “${text}”`).toBeLessThan(slowestAnswer);
    await page.keyboard.press('Escape');
    await page.keyboard.press('Escape');
  }
  console.log(took.join('\n'));
});
