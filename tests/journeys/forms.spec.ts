import { expect } from '@playwright/test';
import { choose, test, visit } from './helpers';

test('a form is copied, renamed, and removed, from its page', async ({ page }) => {
  await visit(page, '/forms/member_details/design');
  await page.getByRole('button', { name: 'More…' }).click();
  const about = page.getByRole('dialog');
  await about.getByRole('button', { name: 'Copy this form' }).click();
  await expect(page.getByRole('heading', { name: 'Member details (copy)' })).toBeVisible();
  await page.getByRole('button', { name: 'More…' }).click();
  await about.getByLabel('Title').fill('Addresses');
  await about.getByLabel('Title').press('Tab');
  await expect(page.getByRole('heading', { name: 'Addresses' })).toBeVisible();
  await about.getByRole('button', { name: 'Remove…' }).click();
  await expect(about.getByRole('alert')).toContainText('The records it wrote stay.');
  await about.getByRole('button', { name: 'Remove the form' }).click();
  await expect(page.getByText('Addresses: the form was removed.')).toBeVisible();
  await expect(page).toHaveURL(/\/forms$/);
  await expect(page.getByRole('link', { name: 'Addresses' })).toHaveCount(0);
});

test('a rule is put together as a sentence, and a yes/no stands as a tick box', async ({
  page,
}) => {
  await visit(page, '/forms/condition_report/design');
  await page.locator('[data-cell="damage rules"]').click();
  await page.getByLabel('stands in the form as').selectOption('tick');
  await page.getByRole('button', { name: '+ locked when' }).click();
  await page.getByLabel('Locked when: field').selectOption({ label: 'Reported on' });
  await page.getByLabel('Locked when: comparison').selectOption({ label: 'is after' });
  await page.getByLabel('Locked when: value', { exact: true }).selectOption('today');
  await expect(page.locator('[data-cell="damage rules"]')).toContainText(
    'locked when Reported on is after today',
  );
  await page.getByRole('button', { name: 'as a formula' }).last().click();
  await expect(page.locator('.cm-content')).toHaveText('reported_on > today()');
  const tick = page.getByLabel('Live form').getByLabel('Damage found');
  await expect(tick).toHaveRole('checkbox');
  await tick.check();
  await expect(page.getByLabel('Live form').getByText('Kind of damage').first()).toBeVisible();
  // The draft is left as it was found.
  await page.keyboard.press('Escape');
  await page.locator('[data-cell="damage rules"]').focus();
  for (let i = 0; i < 2; i++) await page.keyboard.press('Control+z');
  await expect(page.locator('[data-cell="damage rules"]')).not.toContainText('tick box');
});

test('one record after the other is saved, told and undone; what was typed is undone step by step', async ({
  page,
}) => {
  await visit(page, '/forms/receive_copies');
  const score = page.getByLabel('Score code');
  await score.fill('SC-00051');
  await score.press('Tab');
  await page.getByLabel('Quantity').fill('3');
  await page.waitForTimeout(500);
  await page.getByLabel('Quantity').fill('4');
  await page.waitForTimeout(500);
  await page.keyboard.press('Control+z');
  await expect(page.getByLabel('Quantity')).not.toHaveValue('4');
  await page.keyboard.press('Control+Shift+Z');
  await expect(page.getByLabel('Quantity')).toHaveValue('4');
  await page.keyboard.press('Control+Shift+Enter');
  await expect(page.getByText('Saved:')).toBeVisible();
  await expect(score).toHaveValue('');
  await expect(score).toBeFocused();
  const toast = page.getByRole('status').filter({ hasText: 'Saved:' });
  await toast.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText('Undone.')).toBeVisible();
});

test('↓ on a filled lookup opens its list at what is chosen, and Enter there changes nothing', async ({
  page,
}) => {
  await visit(page, '/forms/lend_music');
  const region = page.getByRole('combobox', { name: 'Region', exact: true });
  await choose(page, region, 'south');
  const chosen = await region.inputValue();
  await region.press('ArrowDown');
  await expect(page.locator('#f-region-list [aria-selected=true]')).toContainText(chosen);
  await region.press('Enter');
  await expect(page.locator('#f-region-list')).toHaveCount(0);
  await expect(region).toHaveValue(chosen);
});
