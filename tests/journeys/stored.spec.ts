import { expect, type Page } from '@playwright/test';
import { cell, choose, fill, test, visit } from './helpers';

const box = (page: Page, name: string) => page.getByRole('combobox', { name, exact: true });

/** Types into the control that has the focus, and goes on to the next one. */
async function type(page: Page, text: string): Promise<void> {
  await page.keyboard.type(text, { delay: 20 });
  await page.waitForTimeout(400);
  await page.keyboard.press('Tab');
}

test('three scores are lent by keyboard, opened again, and merged with another change', async ({
  page,
  browser,
}) => {
  await visit(page, '/forms/lend_music');
  await expect(box(page, 'Region')).toBeFocused();
  await type(page, 'north');
  await type(page, 'velden');
  await type(page, 'velden town');
  await expect(box(page, 'Ensemble')).not.toHaveValue('');
  await page.getByLabel('Purpose').focus();
  await page.keyboard.type('concert');
  for (const [i, code] of ['SC-00101', 'SC-00102', 'SC-00103'].entries()) {
    await cell(page, 'Score, new line').focus();
    await page.keyboard.type(code, { delay: 20 });
    await expect(page.getByRole('option', { name: code })).toBeVisible();
    await page.keyboard.press('Enter');
    await expect(cell(page, `On hand, line ${i + 1}`)).toHaveText(/^\d+$/);
  }
  const onHand = Number(await cell(page, 'On hand, line 2').textContent());
  await fill(page, 'Copies, line 2', String(onHand + 1));
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('alert')).toContainText(
    `Lines, line 2: Copies: ${onHand + 1} asked, ${onHand} on hand.`,
  );
  await expect(cell(page, 'Copies, line 2')).toBeFocused();
  await page.keyboard.type(String(onHand));
  await page.keyboard.press('Enter');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText('7 records were written.')).toBeVisible();

  // The record's page leads back into the form.
  await page.getByRole('link', { name: 'Open it' }).click();
  await page.getByRole('link', { name: 'Open in Lend music' }).click();
  await expect(box(page, 'Region')).toHaveValue('North Marches');
  await expect(cell(page, 'On hand, line 2')).toHaveText(String(onHand));
  const address = page.url();

  const context = await browser.newContext();
  const other = await context.newPage();
  await other.goto(address, { waitUntil: 'networkidle' });
  await other.getByLabel('Lent on').fill('2026-11-02');
  await other.getByLabel('Note').fill('Fetched by the librarian');
  await other.keyboard.press('Control+Enter');
  await expect(other.getByText('One record was written.')).toBeVisible();
  await context.close();

  await fill(page, 'Copies, line 2', String(onHand - 1));
  await page.getByLabel('Note').fill('For the town hall');
  await page.getByRole('button', { name: 'What will be written' }).click();
  const planned = page.getByLabel('What will be written', { exact: true });
  await expect(planned).toContainText(`${onHand} → ${onHand - 1}`);
  await page.keyboard.press('Control+Enter');
  const clash = page.getByRole('region', { name: 'Changed meanwhile' });
  await expect(clash).toBeFocused();
  await expect(clash.getByRole('row', { name: /Note/ })).toContainText('Fetched by the librarian');
  await expect(clash).toContainText('Lent on');
  await clash.getByRole('radio', { name: 'theirs' }).check();
  await clash.getByRole('button', { name: 'Merge' }).click();
  await expect(page.getByLabel('Note')).toHaveValue('Fetched by the librarian');
  await expect(page.getByLabel('Lent on')).toHaveValue('2 Nov 2026');
  await expect(cell(page, 'Copies, line 2')).toHaveText(String(onHand - 1));
  await page.keyboard.press('Control+Enter');
  // The loan's fee, the line, and the copy that came back.
  await expect(page.getByText('3 records were written.')).toBeVisible();
  await page.getByRole('link', { name: 'Go back' }).click();

  const history = page.getByRole('table').last();
  await expect(history.getByRole('row').nth(1)).toContainText('Fee');
  await expect(history).toContainText('Fetched by the librarian');
  await page.getByRole('button', { name: 'Undo this save' }).first().click();
  await page.getByRole('button', { name: 'Undo all of it' }).click();
  await expect(page.getByText('The save was undone, 3 records changed.')).toBeVisible();
  await expect(history.getByRole('row').nth(1)).toContainText('a save was undone');
});

test('B6, B7 a choice is picked from a table beside the form, or added there', async ({ page }) => {
  await visit(page, '/forms/lend_music');
  await choose(page, box(page, 'Region'), 'north');
  await choose(page, box(page, 'Town'), 'velden');
  await box(page, 'Ensemble').focus();
  await page.keyboard.press('Alt+p');
  const panel = page.getByRole('dialog', { name: 'Ensemble' });
  await expect(panel.getByLabel('Search in Ensemble')).toBeFocused();
  const names = () => panel.locator('tbody td:first-child').allTextContents();
  const rising = await names();
  await panel.getByRole('button', { name: 'Name' }).click();
  await panel.getByRole('button', { name: 'Name' }).click();
  await expect
    .poll(async () => (await names()).map((n) => n.replace('✓ ', '').trim()))
    .toEqual(rising.map((n) => n.replace('✓ ', '').trim()).toReversed());
  await panel.getByRole('row', { name: /Velden Town/ }).click();
  await expect(panel).toHaveCount(0);
  await expect(box(page, 'Ensemble')).toHaveValue(/Velden Town/);
  await page.keyboard.press('Alt+p');
  await panel.getByRole('button', { name: /^Remove / }).click();
  await expect(panel).toContainText('nothing');
  await panel.getByLabel('Search in Ensemble').focus();
  await page.keyboard.press('Escape');
  await expect(panel).toHaveCount(0);
  await expect(box(page, 'Ensemble')).toBeFocused();

  await page.keyboard.press('Alt+a');
  const adding = page.getByRole('dialog', { name: 'Add to Ensemble' });
  await expect(adding.getByRole('combobox', { name: 'Town' })).toHaveValue('Velden');
  await adding.getByLabel('Name').fill('Velden Night Players');
  await adding.getByLabel('Member code').fill('VNP-900');
  await page.keyboard.press('Control+Enter');
  await expect(adding.getByText('Weekly rate is missing.').first()).toBeVisible();
  await adding.getByLabel('Weekly rate').fill('0.40');
  await page.keyboard.press('Control+Enter');
  await expect(adding).toHaveCount(0);
  await expect(box(page, 'Ensemble')).toHaveValue('Velden Night Players · VNP-900');
  await expect(page.getByLabel('Purpose')).toHaveValue('');
});

test('E7 a line is started from its record, and one returns there', async ({ page }) => {
  await visit(page, '/tables/ensemble/records/3');
  await page.getByRole('link', { name: 'Add with Lend music' }).click();
  await expect(box(page, 'Ensemble')).not.toHaveValue('');
  await expect(box(page, 'Region')).not.toHaveValue('');
  await page.getByLabel('Purpose').selectOption('study');
  await cell(page, 'Score, new line').focus();
  await page.keyboard.type('SC-00110', { delay: 20 });
  await expect(page.getByRole('option', { name: 'SC-00110' })).toBeVisible();
  await page.keyboard.press('Enter');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText('3 records were written.')).toBeVisible();
  await page.getByRole('link', { name: 'Go back' }).click();
  await expect(page).toHaveURL(/\/tables\/ensemble\/records\/3$/);
});

test('F5 what was typed is found again on another machine, and listed', async ({
  page,
  browser,
}) => {
  await visit(page, '/forms/ensemble');
  const sent = page.waitForRequest((r) => r.url().includes('entry-draft') && r.method() === 'PUT');
  await page.getByLabel('Name').fill('Greywater Trio');
  await sent;
  const context = await browser.newContext();
  const other = await context.newPage();
  await visit(other, '/forms');
  await other.getByRole('link', { name: 'Greywater Trio' }).click();
  await expect(other.getByLabel('Name')).toHaveValue('Greywater Trio');
  await other.getByRole('button', { name: 'Start over' }).click();
  await expect(other.getByLabel('Name')).toHaveValue('');
  await visit(other, '/forms');
  await expect(other.getByRole('link', { name: 'Greywater Trio' })).toHaveCount(0);
  await context.close();
});

test('F7 a report changes the instrument, and its defects are there only with damage', async ({
  page,
}) => {
  await visit(page, '/forms/condition_report');
  await choose(page, box(page, 'Instrument'), 'A-00007');
  await expect(page.getByRole('grid', { name: 'Defects' })).toHaveCount(0);
  await page.getByLabel('Condition now').selectOption('fair');
  await page.getByLabel('Damage found').selectOption({ label: 'yes' });
  await page.getByLabel('Kind of damage').selectOption('dent');
  await fill(page, 'Part, new line', 'bell');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('alert')).toContainText('Defects, line 1: Kind is missing.');
  await cell(page, 'Where, line 1').focus();
  await page.keyboard.press('Enter');
  await page.getByLabel('Where, line 1').selectOption('surface');
  await cell(page, 'Kind, line 1').focus();
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Kind, line 1').locator('option')).toHaveCount(4);
  await page.getByLabel('Kind, line 1').selectOption('dent');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText('3 records were written.')).toBeVisible();
  await page
    .getByRole('link', { name: /^A-00007/ })
    .last()
    .click();
  await expect(page.getByRole('table').first()).toContainText('fair');
});
