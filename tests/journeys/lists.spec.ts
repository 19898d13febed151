import { expect } from '@playwright/test';
import { choose, test, visit } from './helpers';

test('J1–J5 a list is pasted, a column takes its options from it, and a label follows everywhere', async ({
  page,
}) => {
  await visit(page, '/lists');
  await page.getByRole('button', { name: 'New list' }).click();
  await page.getByLabel('Title').fill('Shelf heights');
  await page.getByLabel('Values, one per line').fill('low\t1\nmiddle\t2\nhigh\t3');
  await page.getByRole('button', { name: 'Create list' }).click();
  await expect(page.getByRole('heading', { name: 'Shelf heights' })).toBeVisible();
  await expect(page.getByRole('textbox', { name: 'Label 3' })).toHaveValue('high');

  // A column of a table takes its options from it.
  await visit(page, '/tables/maker/columns');
  await page.getByLabel('New column', { exact: true }).fill('Shelf');
  await page.getByLabel('Type of the new column').selectOption('option');
  await page.getByLabel(/^Where the options of/).selectOption('shelf_heights');
  await page.getByRole('button', { name: 'Add the column' }).click();
  await expect(page.getByRole('row', { name: /Shelf/ })).toContainText('option of Shelf heights');
  await visit(page, '/tables/maker');
  const cell = page.locator('[data-cell^="0,"]').last();
  await cell.focus();
  await page.keyboard.press('F2');
  await page.getByRole('combobox', { name: /^Shelf/ }).selectOption({ label: 'middle' });
  await page.keyboard.press('Enter');
  await expect(cell).toContainText('middle');

  // A label changes everywhere; a value in use is retired, not removed.
  await visit(page, '/lists/shelf_heights');
  await expect(page.getByText('Maker (Shelf)')).toBeVisible();
  await page.getByRole('textbox', { name: 'Label 2' }).fill('eye level');
  await page.keyboard.press('Control+s');
  await expect(page.getByText('3 values')).toBeVisible();
  await visit(page, '/tables/maker');
  await expect(page.locator('[data-cell^="0,"]').last()).toContainText('eye level');
  await visit(page, '/lists/shelf_heights');
  await page.getByRole('button', { name: 'Remove eye level' }).click();
  await page.getByRole('button', { name: 'Save list' }).click();
  await expect(page.getByRole('alert')).toContainText('is in use by 1 record of Maker (Shelf)');
});

test('J1 values typed into a form are lifted into a list', async ({ page }) => {
  await visit(page, '/forms/receive_copies/design');
  const sheet = page.getByRole('group', { name: 'Plan sheet' });
  await sheet.getByLabel('Add a field').fill('Handed in by');
  await sheet.getByRole('button', { name: 'Add', exact: true }).click();
  await sheet.getByRole('button', { name: /^Comes from of Handed in by/ }).click();
  await choose(page, page.getByLabel('Where does its value come from?'), 'one of a few');
  await page.getByLabel('One value per line').fill('post\nperson\ncourier');
  await page.getByLabel('One value per line').blur();
  await page.getByRole('button', { name: 'Turn them into an option list' }).click();
  await expect(page.getByLabel('Where does its value come from?')).toHaveValue(
    'From an option list: Handed in by',
  );
  const live = page.getByLabel('Live form');
  await expect(live.getByLabel('Handed in by').locator('option')).toHaveText([
    '–',
    'post',
    'person',
    'courier',
  ]);
});
