import { expect, type Page, type Request } from '@playwright/test';
import { choose, test, visit } from './helpers';

const box = (page: Page, name: string) => page.getByRole('combobox', { name, exact: true });
const saved = (page: Page) => page.getByText('One record was written.');

/** The record that the receipt names, opened. */
async function written(page: Page): Promise<string> {
  await expect(saved(page)).toBeVisible();
  await page
    .getByRole('link', { name: /Copy movement|open it/i })
    .first()
    .click();
  return (await page.locator('main').textContent()) ?? '';
}

test('a key that still has the cursor is what is saved', async ({ page }) => {
  await visit(page, '/forms/receive_copies');
  const code = page.getByLabel('Score code');
  await expect(code).toBeFocused();
  await page.keyboard.type('SC-00041');
  await page.keyboard.press('Tab');
  await expect(page.locator('#f-score-note')).toContainText('SC-00041 · ');
  await page.keyboard.press('Shift+Tab');
  await code.fill('SC-00042');
  await page.keyboard.press('Control+Enter');
  expect(await written(page)).toContain('SC-00042');
});

test('a key typed into a fresh form is looked up before it is saved', async ({ page }) => {
  await visit(page, '/forms/receive_copies');
  await expect(page.getByLabel('Score code')).toBeFocused();
  await page.keyboard.type('SC-00043');
  await page.keyboard.press('Control+Enter');
  expect(await written(page)).toContain('SC-00043');
});

test('a key that names nothing keeps the form from being saved, and stays', async ({ page }) => {
  await visit(page, '/forms/receive_copies');
  const code = page.getByLabel('Score code');
  await expect(code).toBeFocused();
  await page.keyboard.type('SC-99999');
  await page.keyboard.press('Control+Enter');
  await expect(page.locator('#f-score-note')).toContainText('No score has code “SC-99999”.');
  await expect(code).toHaveValue('SC-99999');
  await expect(saved(page)).toHaveCount(0);
});

test('what is typed over a chosen record takes its place, or stays marked', async ({ page }) => {
  await visit(page, '/forms/lend_music');
  const region = box(page, 'Region');
  await choose(page, region, 'north');
  await region.press('Control+a');
  await page.keyboard.insertText('south');
  await page.keyboard.press('Control+Enter');
  await expect(region).toHaveValue('South Fells');
  await region.click();
  await region.press('Control+a');
  await page.keyboard.insertText('zzz nowhere');
  await page.keyboard.press('Tab');
  await expect(region).toHaveValue('zzz nowhere');
  await expect(region).toHaveAttribute('aria-invalid', 'true');
  await expect(page.locator('#f-region-note')).toContainText('zzz nowhere');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('heading', { name: 'Saved' })).toHaveCount(0);
  await choose(page, region, 'north');
  await expect(region).toHaveValue('North Marches');
  await expect(region).toHaveAttribute('aria-invalid', 'false');
});

test('without the network nothing older is taken, nothing is lost, and it goes on by itself', async ({
  page,
}) => {
  await visit(page, '/forms/lend_music');
  const region = box(page, 'Region');
  await region.click();
  await expect(page.locator('#f-region-list [role=option]')).toHaveCount(8);
  await page.route('**/read', (route) => route.abort());
  await page.keyboard.insertText('south');
  await page.keyboard.press('Tab');
  await expect(region).toHaveValue('south');
  await page.keyboard.press('Control+Enter');
  await expect(region).toHaveValue('south');
  await page.unroute('**/read');
  await expect(page.locator('#f-region-note')).toContainText('No region has', { timeout: 15_000 });
  await choose(page, region, 'south');
  await expect(region).toHaveValue('South Fells');
});

test('answers that come out of order belong to their own text', async ({ page }) => {
  await visit(page, '/forms/lend_music');
  const region = box(page, 'Region');
  await page.route('**/read', async (route) => {
    const body = route.request().postData() ?? '';
    if (body.includes('"search":"n')) await new Promise((done) => setTimeout(done, 900));
    await route.continue();
  });
  const asks = (text: string) => (one: Request) =>
    one.postData()?.includes(`"search":"${text}`) ?? false;
  await region.click();
  const first = page.waitForRequest(asks('north'));
  await page.keyboard.insertText('north');
  const late = (await first).response();
  await region.press('Control+a');
  await page.keyboard.insertText('south');
  await page.keyboard.press('Tab');
  await expect(region).toHaveValue('South Fells');
  await late;
  await expect(region).toHaveValue('South Fells');
});

test('a slow list is waited for by the save', async ({ page }) => {
  await visit(page, '/forms/receive_copies');
  await expect(page.getByLabel('Score code')).toBeFocused();
  await page.route('**/read', async (route) => {
    await new Promise((done) => setTimeout(done, 700));
    await route.continue();
  });
  await page.keyboard.type('SC-00044');
  await page.keyboard.press('Control+Enter');
  expect(await written(page)).toContain('SC-00044');
});

test('a wrong formula is kept, is said in the checkup, and keeps the form from being published', async ({
  page,
}) => {
  await visit(page, '/forms/receive_copies/design');
  const sheet = page.getByRole('grid').or(page.locator('.sheet')).first();
  await expect(sheet).toBeVisible();
  await page.locator('[data-cell="quantity rules"]').click();
  await page.getByRole('button', { name: '+ a check' }).click();
  await page.getByRole('button', { name: 'as a formula' }).last().click();
  // The cursor is in the new formula: what is typed arrives there.
  await expect(page.locator('.cm-editor.cm-focused')).toBeVisible();
  await page.keyboard.type('quantity = received or packets <= on hand');
  await page.keyboard.press('Escape');
  await expect(page.getByRole('button', { name: /^Publish/ })).toBeDisabled();
  await page.locator('[data-cell="quantity rules"]').click();
  await expect(page.locator('.cm-content', { hasText: 'packets' })).toBeVisible();
  await page
    .locator('[data-band]')
    .getByRole('button', { name: 'Remove', exact: true })
    .last()
    .click();
  await expect(page.getByRole('button', { name: /^Publish/ })).toBeEnabled();
});
