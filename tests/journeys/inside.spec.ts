import { expect } from '@playwright/test';
import { cell, fill, test, visit } from './helpers';

test('E2, E8 a line is opened by itself with the lines that stand in it, all by keys', async ({
  page,
}) => {
  await visit(page, '/forms/region?record=2');
  await cell(page, 'Town, line 2').focus();
  const before = Number(await cell(page, 'How many, line 2').textContent());
  await page.keyboard.press('Alt+Enter');
  const line = page.getByRole('dialog', { name: 'Towns, line 2' });
  await expect(line.getByLabel('Town')).toBeFocused();
  await fill(page, 'Ensemble, new line', 'Night Players');
  await fill(page, `Weekly rate, line ${before + 1}`, '-2');
  await line.getByRole('button', { name: 'Done' }).click();
  await expect(cell(page, 'Town, line 2')).toBeFocused();
  await expect(cell(page, 'How many, line 2')).toHaveText(String(before + 1));

  // Refused at the right cell: the line is opened again, and the cursor stands in it.
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('alert')).toContainText(
    `Towns, line 2, Ensembles, line ${before + 1}: Member code is missing.`,
  );
  await expect(line).toBeVisible();
  await expect(cell(page, `Member code, line ${before + 1}`)).toBeFocused();
  await page.keyboard.type('NP-777');
  await page.keyboard.press('Enter');
  await fill(page, `Weekly rate, line ${before + 1}`, '2');
  await page.keyboard.press('Escape');
  await expect(line).toHaveCount(0);
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText('One record was written.')).toBeVisible();
  await expect(page.getByRole('link', { name: /Night Players/ })).toBeVisible();
});

test('E4 lines out of sight are kept and counted', async ({ page }) => {
  await visit(page, '/forms/region?record=3');
  const lines = page.getByRole('group', { name: /^Towns/ });
  const all = Number(/\d+/.exec((await lines.locator('legend').textContent()) ?? '')?.[0]);
  await page.getByLabel('Only towns without ensembles').selectOption('yes');
  await expect(lines.locator('legend')).toHaveText(new RegExp(`0 of\\s+${all} lines`));
  await page.getByRole('button', { name: 'What will be written' }).click();
  await expect(page.getByText('No changes yet.')).toBeVisible();
});

test('E8 lines in each line are designed like any others', async ({ page }) => {
  await visit(page, '/forms/region/design');
  const sheet = page.getByRole('group', { name: 'Plan sheet' });
  await sheet
    .getByRole('group', { name: 'Section Ensembles' })
    .getByText('in each line of')
    .waitFor();
  await sheet.getByLabel('Title of the section').nth(2).focus();
  await sheet.getByLabel('Add a field').fill('E-mail');
  await sheet.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(sheet.getByRole('listitem', { name: 'Line E-mail' })).toBeVisible();
  await page.keyboard.press('Control+z');
});
