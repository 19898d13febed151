import { expect } from '@playwright/test';
import { at, cell, choose, test, visit } from './helpers';

const box = (name: string) => ({ name, exact: true });

test('C2 C5 a changed region clears what hangs on it; a single ensemble is taken', async ({
  page,
}) => {
  await visit(page, '/forms/lend_music');
  await expect(page.getByRole('combobox', box('Region'))).toBeFocused();
  await choose(page, page.getByRole('combobox', box('Region')), 'north');
  await choose(page, page.getByRole('combobox', box('Town')), 'velden');
  await expect(page.getByRole('combobox', box('Ensemble'))).toHaveValue(
    'Velden Town Winds · VTW-217',
  );
  await choose(page, page.getByRole('combobox', box('Region')), 'south');
  await expect(page.getByRole('combobox', box('Town'))).toHaveValue('');
  await expect(page.getByRole('combobox', box('Ensemble'))).toHaveAttribute(
    'placeholder',
    'choose Town first',
  );
});

test('C4 a region without towns says why its list is empty', async ({ page }) => {
  await visit(page, '/forms/lend_music');
  await choose(page, page.getByRole('combobox', box('Region')), 'tarn');
  await expect(page.locator('#f-town-note')).toHaveText(
    '“Region is Tarn Hollows” leaves none; without it 96 would be offered.',
  );
});

test('B5 words find a score by title and composer; keys alone save a loan', async ({ page }) => {
  await visit(page, '/forms/lend_music');
  const list = (field: string) => page.locator(`#f-${field}-list [role=option]`);
  await expect(page.getByRole('combobox', box('Region'))).toBeFocused();
  await page.keyboard.type('north');
  await expect(list('region')).toHaveText(['North Marches']);
  await page.keyboard.press('Tab');
  await page.keyboard.type('velden');
  await expect(list('town')).toHaveText(['Velden']);
  await page.keyboard.press('Enter');
  await expect(page.getByRole('combobox', box('Ensemble'))).toHaveValue(/Velden Town Winds/);
  await page.getByLabel('Purpose').selectOption('concert');
  await page.getByLabel('Lent on').fill('2027-03-01');
  await cell(page, 'Score, new line').focus();
  await page.keyboard.type('SC-00012');
  await expect(page.locator('#f-lines-cell-list [role=option]')).toHaveCount(1);
  await page.keyboard.press('Enter');
  await expect(cell(page, 'Score, line 1')).toHaveText(/^SC-00012 · /);
  await expect(cell(page, 'Copies, line 1')).toBeFocused();
  await page.keyboard.type('many');
  await page.keyboard.press('Enter');
  await expect(cell(page, 'Copies, line 1')).toHaveAttribute('aria-invalid', 'true');
  await page.keyboard.press('ArrowUp');
  await expect(page.getByText('“many” is not a whole number.')).toBeVisible();
  await page.keyboard.type('1');
  await page.keyboard.press('Enter');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText('3 records were written.')).toBeVisible();
  await page.getByRole('button', { name: 'Another one like this' }).click();
  await expect(cell(page, 'Score, line 1')).toHaveText(/^SC-00012 · /);
  await page.getByRole('button', { name: /Save record/ }).click();
  await expect(page.getByText('3 records were written.')).toBeVisible();
});

test('B3 the three steps of a flat table, and a pack found by all of them', async ({ page }) => {
  await visit(page, '/forms/order_accessories');
  await choose(page, page.getByRole('combobox', box('Category')), 'reeds');
  await choose(page, page.getByRole('combobox', box('Article')), 'oboe');
  await page.getByRole('combobox', box('Gauge')).click();
  await expect(page.getByRole('option')).toHaveText(['hard', 'medium', 'soft']);
  await page.getByRole('option', { name: 'hard' }).click();
  await expect(page.locator('[data-field=accessory]')).toContainText('offered');
});

test('F5 what was typed survives a reload, and can be thrown away', async ({ page }) => {
  await visit(page, '/forms/lend_music');
  await choose(page, page.getByRole('combobox', box('Region')), 'south');
  await page.getByLabel('Note').fill('half a thought');
  await cell(page, 'Copies, new line').focus();
  await page.keyboard.type('1x');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/Draft kept/)).toBeVisible();
  await page.waitForTimeout(600);
  await page.reload({ waitUntil: 'networkidle' });
  await expect(page.getByRole('combobox', box('Region'))).toHaveValue('South Fells');
  await expect(page.getByLabel('Note')).toHaveValue('half a thought');
  await expect(cell(page, 'Copies, line 1')).toHaveText('1x');
  await page.getByRole('button', { name: 'Start over' }).click();
  await expect(page.getByLabel('Note')).toHaveValue('');
});

test('H5 a server that does not answer is said, keeps the entry, and is tried again', async ({
  page,
}) => {
  await visit(page, '/forms/lend_music');
  await page.route('**/read', (route) => route.abort());
  await page.getByLabel('Note').fill('kept');
  await page.getByRole('combobox', box('Region')).click();
  await expect(page.getByText('The server is not responding.').first()).toBeVisible();
  await page.keyboard.press('Escape');
  await page.unroute('**/read');
  await choose(page, page.getByRole('combobox', box('Region')), 'north');
  await page.route('**/entries', (route) => route.abort());
  await page.getByRole('combobox', box('Region')).press('Control+Enter');
  await expect(page.getByRole('alert')).toBeVisible();
  await expect(page.getByLabel('Note')).toHaveValue('kept');
});

test('two browsers save one record from one version: the second is told', async ({
  page,
  context,
}) => {
  await visit(page, '/tables/maker?search=Ulverd');
  const other = await context.newPage();
  await visit(other, '/tables/maker?search=Ulverd');
  for (const [tab, text] of [
    [page, 'Ulverd & Daughters'],
    [other, 'Ulverd Brothers'],
  ] as const) {
    await tab.getByRole('gridcell', { name: 'Ulverd & Sons' }).press('F2');
    await tab.getByRole('textbox', { name: 'Name' }).fill(text);
    await tab.keyboard.press('Enter');
  }
  await expect(page.getByRole('gridcell', { name: 'Ulverd & Daughters' })).toBeVisible();
  await expect(other.getByRole('alert')).toContainText(
    'This record has just been changed by Ottilie Marrable.',
  );
  await expect(other.getByRole('gridcell', { name: 'Ulverd & Daughters' })).toBeVisible();
});

test('A4 A6 a table is filtered, sorted, and does not delete what is in use', async ({ page }) => {
  await visit(page, '/tables/town');
  await page.getByRole('button', { name: '+ condition' }).click();
  await page.getByLabel('Column', { exact: true }).selectOption('region');
  await choose(page, page.locator('#filter-0'), 'north');
  await page.getByRole('button', { name: 'Apply' }).click();
  await expect(page.getByText('12 shown of 12')).toBeVisible();
  await expect(page.getByText('is North Marches')).toBeVisible();
  await page.getByRole('button', { name: 'Name' }).click();
  await expect(page.getByRole('columnheader', { name: /Name/ })).toHaveAttribute(
    'aria-sort',
    'ascending',
  );
  await page.getByRole('row', { name: /Velden/ }).hover();
  await page
    .getByRole('row', { name: /Velden/ })
    .getByRole('button', { name: /Delete record/ })
    .click();
  await page.getByRole('dialog').getByRole('button', { name: 'Delete', exact: true }).click();
  await expect(page.getByRole('alert')).toContainText(
    'This record is in use by 1 record of Ensemble (Town)',
  );
});

test('the design undoes and redoes, and a broken plan cannot be published', async ({ page }) => {
  await visit(page, '/forms/order_accessories/design');
  const cell = (key: string) => page.locator(`[data-cell="${key}"]`);
  await cell('packs field').focus();
  await page.keyboard.press('Delete');
  await expect(page.getByRole('region', { name: 'Checkup' })).toContainText(
    'Packs is required in Accessory order',
  );
  await expect(page.getByRole('button', { name: 'Publish edition 2' })).toBeDisabled();
  await page.keyboard.press('Control+z');
  await expect(cell('packs field')).toBeVisible();
  await expect(page.getByRole('region', { name: 'Checkup' })).toContainText('nothing to fix');
  await page.keyboard.press('Control+Shift+z');
  await expect(cell('packs field')).toHaveCount(0);
  await page.getByRole('button', { name: 'Add the field' }).click();
  await expect(cell('packs field')).toBeVisible();
});

test('an unknown page says so', async ({ page }) => {
  const response = await page.goto(at('/forms/none'));
  expect(response?.status()).toBe(404);
  await expect(page.getByText('There is no form “none”.')).toBeVisible();
});

test('B5 Enter and Tab take what was typed, even before the list has come', async ({ page }) => {
  await visit(page, '/forms/lend_music');
  // The whole list is open; what is typed next is not in its first place.
  await page.getByRole('combobox', box('Region')).click();
  await expect(page.locator('#f-region-list [role=option]')).toHaveCount(8);
  await page.keyboard.insertText('south');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('combobox', box('Region'))).toHaveValue('South Fells');
  await page.getByRole('combobox', box('Region')).click();
  await page.getByRole('combobox', box('Region')).press('Control+a');
  await page.keyboard.insertText('north');
  await page.keyboard.press('Tab');
  await expect(page.getByRole('combobox', box('Region'))).toHaveValue('North Marches');
  await expect(page.locator('#f-region-list')).toHaveCount(0);
});
