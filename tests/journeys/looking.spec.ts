import { expect } from '@playwright/test';
import { at, choose, test, visit } from './helpers';

test('A10 a table is looked at: groups fold and page, a picture narrows, a view keeps its columns', async ({
  page,
}) => {
  await visit(page, '/tables/score');
  await page.getByLabel('grouped by').selectOption('Difficulty');
  await page.getByLabel('in order of').selectOption('records, most first');
  const first = page.getByRole('rowheader').first();
  await expect(first.getByRole('button', { expanded: true })).toBeVisible();
  const number = page.locator('[data-cell="0,0"]');
  // The groups stand in their order before anything of them is noted.
  await page.waitForLoadState('networkidle');
  const before = await number.textContent();
  await first.getByRole('button', { name: 'Next records' }).click();
  await expect(number).not.toHaveText(before ?? '');
  await first.getByRole('button', { name: 'From the first' }).click();
  await expect(number).toHaveText(before ?? '');
  await first.getByRole('button', { expanded: true }).click();
  await expect(page.getByRole('gridcell')).toHaveCount(0);
  await page.reload();
  await expect(page.getByRole('rowheader').first()).toBeVisible();
  await expect(page.getByRole('gridcell')).toHaveCount(0);

  await visit(page, '/tables/loan');
  await page.getByRole('button', { name: 'Picture' }).click();
  const picture = page.getByRole('complementary', { name: 'Picture' });
  await picture.getByLabel('By which column').selectOption('Fee');
  const slider = picture.getByRole('slider');
  await slider.focus();
  await page.keyboard.press('ArrowRight');
  await expect(slider).toHaveAttribute('aria-valuetext', /\d+ – \d+: \d+/);
  const said = (await slider.getAttribute('aria-valuetext')) ?? '';
  await page.keyboard.press('Enter');
  await expect(page.getByText(new RegExp(`shown of ${said.split(': ')[1]}$`))).toBeVisible();
  await picture.getByLabel('By which column').selectOption('Purpose');
  await picture.getByRole('button', { name: 'As a table' }).click();
  await expect(picture.getByRole('row')).not.toHaveCount(0);
  await picture.getByRole('button', { name: 'Close the picture' }).click();
  await expect(picture).toBeHidden();

  await visit(page, '/tables/loan');
  await page.getByRole('button', { name: 'Columns', exact: true }).click();
  const columns = page.getByRole('group', { name: 'Columns' });
  await columns.getByLabel('Weeks', { exact: true }).uncheck();
  await expect(page.getByRole('columnheader', { name: 'Weeks' })).toBeHidden();
  await columns.getByLabel('Move Fee to the left').click();
  await expect(page.getByRole('columnheader').nth(2)).toHaveText('Fee');
  await columns.getByLabel('Width of Fee in pixels').fill('200');
  await columns.getByLabel('Width of Fee in pixels').press('Tab');
  await expect(page.getByRole('columnheader', { name: 'Fee' })).toHaveCSS('width', '200px');
  await page.getByRole('button', { name: 'Save view' }).click();
  await page.getByLabel('Name of the view').fill('Without weeks');
  await page.getByRole('button', { name: 'Save view' }).last().click();
  await expect(page.getByRole('combobox', { name: 'View', exact: true })).toHaveValue(
    'without_weeks',
  );
  await visit(page, '/tables/loan?view=without_weeks');
  await expect(page.getByRole('columnheader').nth(2)).toHaveText('Fee');
  const csv = await page.request.get(at('/api/tables/loan/export?format=csv&view=without_weeks'));
  expect((await csv.text()).split('\r\n')[0]).toBe(
    '\uFEFFNumber,Fee,Ensemble,Contact,Purpose,Lent on,Due back,Note',
  );
  await page.getByRole('button', { name: 'Remove this view' }).click();
  await expect(page.getByRole('combobox', { name: 'View', exact: true })).toHaveValue('');
});

test('A10 what is typed is searched for; chosen records are changed together, and taken back', async ({
  page,
}) => {
  await visit(page, '/tables/town');
  await page.getByRole('searchbox').pressSequentially('mor', { delay: 30 });
  await expect(page).toHaveURL(/search=mor/);
  const names = page.locator('[data-cell$=",0"]');
  await expect(names.first()).toHaveText(/mor/i);
  const count = await names.count();
  expect(count).toBeGreaterThan(1);
  await names.first().focus();
  await page.keyboard.press('Space');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Space');
  const chosen = page.getByRole('group', { name: 'Chosen records' });
  await expect(chosen).toContainText('2 chosen');
  await chosen.getByRole('button', { name: 'Choose none' }).click();
  await expect(chosen).toBeHidden();
  await names.first().focus();
  await page.keyboard.press('Space');
  if (count > 1) await chosen.getByRole('button', { name: 'Choose all that fit' }).click();
  await expect(chosen).toContainText(`${count} chosen`);
  await chosen.getByRole('button', { name: 'Delete them…' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('button', { name: `Delete ${count} records` }).click();
  // Towns are used: nothing is deleted, and it is said of which.
  await expect(dialog.getByRole('alert').first()).toContainText(/mor/i);
  await dialog.getByRole('button', { name: 'Cancel' }).click();

  await chosen.getByRole('button', { name: 'Change them…' }).click();
  await dialog.getByLabel('Column').selectOption('Region');
  await choose(page, dialog.locator('#change-to'), 'Greywater');
  const regions = page.locator('[data-cell$=",1"]');
  const before = await regions.allTextContents();
  const others = before.filter((region) => region !== 'Greywater').length;
  await expect(dialog.getByRole('row')).toHaveCount(others + 1);
  await dialog.getByRole('button', { name: `Change ${others} record` }).click();
  await expect(page.getByText(/^\d+ records? (was|were) changed\./)).toBeVisible();
  await expect(regions).toHaveText(before.map(() => 'Greywater'));
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText('Undone.')).toBeVisible();
  await expect(regions).toHaveText(before);
});
