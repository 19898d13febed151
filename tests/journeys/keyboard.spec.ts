import { expect } from '@playwright/test';
import { cell, fromHere, test, visit } from './helpers';

test('a loan form is designed from the bare tables, published, changed, compared and taken back, by keys alone', async ({
  page,
}) => {
  let actions = 0;
  const press = async (key: string, times = 1) => {
    for (let i = 0; i < times; i++) await page.keyboard.press(key);
    actions += times;
  };
  const type = async (text: string) => {
    await page.keyboard.type(text);
    actions++;
  };
  const at = (name: string) => page.locator(`[data-cell="${name}"]`);
  const dialog = page.getByRole('dialog');

  await visit(page, '/tables');
  await press('Control+k');
  await type('draft a form on loan');
  await press('Enter');
  await expect(dialog.getByLabel('On the table')).toBeFocused();
  await press('Tab');
  await type('Lend by keys');
  await press('Enter');

  // Region, town and ensemble came from the data, the lines from the table that belongs to loans.
  await expect(at('region field')).toBeFocused();
  await expect(at('ensemble narrowed')).toContainText('Town');
  await expect(at('loan_line.score source')).toContainText('Score');
  await press('ArrowDown', 4);
  await press('ArrowRight');
  await press('Enter');
  await type('a formula');
  await press('Enter');
  await expect(page.locator('.cm-content')).toBeFocused();
  await type('sum(loan_line.fee)');
  await press('Escape');
  await expect(at('fee source')).toContainText('= sum(loan_line.fee)');
  await expect(at('fee source')).toBeFocused();
  await press('ArrowDown', 8);
  await press('Enter');
  await type('a formula');
  await press('Enter');
  await expect(page.locator('.cm-content')).toBeFocused();
  await type('copies * parent.weeks * parent.ensemble.weekly_rate');
  await press('Escape');
  await expect(at('loan_line.fee source')).toContainText('parent.ensemble.weekly_rate');
  await expect(at('loan_line.fee source')).toBeFocused();

  await press('Control+s');
  await expect(dialog.getByText('The first edition, with 13 fields.')).toBeVisible();
  await press('Enter');
  await expect(page.getByText('Edition 1 is published.')).toBeVisible();

  await expect(at('loan_line.fee source')).toBeFocused();
  await press('ArrowLeft');
  await press('Enter');
  await press('Control+a');
  await type('Line fee');
  await press('Tab');
  await press('Escape');
  await expect(at('loan_line.fee field')).toContainText('Line fee');
  await expect(at('loan_line.fee field')).toBeFocused();
  await press('Control+s');
  await expect(dialog.getByRole('row', { name: /Line fee label Fee Line fee/ })).toBeVisible();
  await press('Enter');
  await expect(page.getByText('Edition 2 is published.')).toBeVisible();

  await press('Control+Alt+e');
  await expect(dialog.getByLabel('Compared from')).toBeFocused();
  await type('edition 1');
  await expect(dialog.getByRole('row', { name: /Line fee label Fee Line fee/ })).toBeVisible();
  await press('Tab', 2);
  await press('Enter');
  await expect(at('loan_line.fee field')).toContainText('Fee');
  await expect(at('loan_line.fee field')).not.toContainText('Line fee');
  await expect(page.getByText('draft after edition 2')).toBeVisible();
  expect(actions).toBeLessThan(60);

  await visit(page, '/forms/lend_by_keys');
  await expect(cell(page, 'Line fee, new line')).toBeVisible();
  await page.request.delete(new URL('/api/forms/lend_by_keys', page.url()).href, {
    ...fromHere(),
  });
});

test('the cursor comes back where nothing in the page tells that it was lost', async ({ page }) => {
  await visit(page, '/forms/lend_music');
  const weeks = page.getByLabel('Weeks', { exact: true });
  await weeks.focus();
  await weeks.evaluate((box) => box.blur());
  await expect(weeks).toBeFocused();
  // What is hidden by its style alone gives it to its neighbour.
  await weeks.evaluate((box) => (box.style.visibility = 'hidden'));
  await expect.poll(() => page.evaluate(() => document.activeElement?.tagName)).not.toBe('BODY');
  await expect(weeks).not.toBeFocused();
  // Whoever clicks beside everything, to mark some words, is left alone.
  await page.getByRole('heading', { level: 1 }).click();
  await page.waitForTimeout(600);
  expect(await page.evaluate(() => document.activeElement?.matches('input, select, button'))).toBe(
    false,
  );
});
