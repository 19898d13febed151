import { expect, type Page } from '@playwright/test';
import { test, visit } from './helpers';

const cell = (page: Page, key: string) => page.locator(`[data-cell="${key}"]`);
const undo = (page: Page) => page.getByRole('button', { name: 'Undo' });

async function rename(page: Page, field: string, label: string): Promise<void> {
  await cell(page, `${field} field`).click();
  await page.getByLabel('What is it called?').fill(label);
  await page.getByLabel('What is it called?').press('Tab');
  await page.keyboard.press('Escape');
  await expect(cell(page, `${field} field`)).toContainText(label);
}

test('G8 publishing says what changes; editions are compared, and one is made the draft again', async ({
  page,
}) => {
  await visit(page, '/forms/receive_copies/design');
  await rename(page, 'quantity', 'How many');
  await page.keyboard.press('Control+s');
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByRole('row', { name: /How many label Quantity How many/ })).toBeVisible();
  await dialog.getByRole('button', { name: 'Publish edition 2' }).click();
  await expect(page.getByText('Edition 2 is published.')).toBeVisible();
  await expect(dialog).toHaveCount(0);
  await page.getByRole('button', { name: 'Editions' }).click();
  await expect(dialog.getByText('edition 2 and the draft are the same.')).toBeVisible();
  await dialog.getByLabel('Compared from').selectOption('1');
  await expect(dialog.getByRole('row', { name: /label Quantity How many/ })).toBeVisible();
  await dialog.getByRole('button', { name: 'Make edition 1 the draft' }).click();
  await expect(cell(page, 'quantity field')).toContainText('Quantity');
  await expect(page.getByText('draft after edition 2')).toBeVisible();
  await visit(page, '/forms/receive_copies');
  await expect(page.getByLabel('How many')).toBeVisible();
  // Back to where the other journeys find it.
  await visit(page, '/forms/receive_copies/design');
  await page.keyboard.press('Control+s');
  await dialog.getByRole('button', { name: 'Publish edition 3' }).click();
  await expect(page.getByText('Edition 3 is published.')).toBeVisible();
});

test('G4 G9 a key is renamed through all formulas, and undone after a reload', async ({ page }) => {
  await visit(page, '/forms/condition_report/design');
  await cell(page, 'repair_cost field').click();
  await page.getByLabel('name in formulas').fill('cost');
  await page.getByLabel('name in formulas').press('Tab');
  await expect(cell(page, 'share source')).toContainText('= cost / insured_value * 100');
  await expect(page.getByRole('region', { name: 'Checkup' })).toContainText('nothing to fix');
  await page.getByLabel('name in formulas').fill('damage');
  await page.getByLabel('name in formulas').press('Tab');
  await expect(page.getByText('Use lower-case letters')).toBeVisible();
  await expect(page.getByRole('status').filter({ hasText: /^kept$/ })).toBeVisible();
  await page.waitForTimeout(600);
  await page.reload({ waitUntil: 'networkidle' });
  await expect(undo(page)).toBeEnabled();
  await undo(page).click();
  await expect(cell(page, 'share source')).toContainText('= repair_cost / insured_value * 100');
});

test('G5 the wiring is a picture that says what a field hangs on, by keys too', async ({
  page,
}) => {
  await visit(page, '/forms/lend_music/design');
  await page.getByRole('button', { name: 'Wiring' }).click();
  const box = (name: string) => page.getByRole('button', { name, exact: true });
  await box('Field Score, Lines').focus();
  await page.keyboard.press('Enter');
  await expect(box('Field Score, Lines')).toHaveAttribute('aria-pressed', 'true');
  await expect(page.locator('[data-box="lines.on_hand"]')).toHaveClass(/lit/);
  await expect(page.locator('[data-box="region"]')).not.toHaveClass(/lit/);
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save picture' }).click();
  expect((await download).suggestedFilename()).toBe('Lend music.svg');
  await box('Field Score, Lines').focus();
  await page.keyboard.press('F2');
  await expect(page.getByLabel('Where does its value come from?')).toBeVisible();
});

test('G3 the data speak for a cascade, which is taken with one key', async ({ page }) => {
  await visit(page, '/forms/condition_report/design');
  await page.getByLabel('Add a field').fill('Ensemble');
  await page.getByLabel('Add a field').press('Enter');
  await cell(page, 'ensemble narrowed').click();
  await page.getByRole('button', { name: 'Suggest from the data' }).click();
  await expect(page.getByText('Region → Town → Ensemble')).toBeVisible();
  await expect(page.getByText('each of 96 records of Town has one region (8)')).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(cell(page, 'ensemble narrowed')).toContainText('Town');
  await expect(cell(page, 'town narrowed')).toContainText('Region');
  await undo(page).click();
  await undo(page).click();
  await expect(cell(page, 'ensemble field')).toHaveCount(0);
});

test('a column is made on the spot for a new field', async ({ page }) => {
  await visit(page, '/forms/order_accessories/design');
  await page.getByLabel('Add a field').fill('Supplier');
  await page.getByLabel('Add a field').press('Enter');
  await cell(page, 'supplier saves').click();
  await page.getByRole('button', { name: 'Make a column of Accessory order for it' }).click();
  await expect(cell(page, 'supplier saves')).toContainText('Supplier');
  await expect(cell(page, 'supplier saves')).not.toContainText('no such column');
  await visit(page, '/tables/accessory_order/columns');
  await expect(page.getByLabel('Label of supplier')).toHaveValue('Supplier');
});

test('K3 a plan goes out as a file and comes in again; a broken one is refused', async ({
  page,
}) => {
  await visit(page, '/forms/order_accessories/design');
  const response = await page.request.get(
    new URL('/api/forms/order_accessories/plan.json', page.url()).href,
  );
  const plan = (await response.json()) as { title: string };
  await page.getByRole('button', { name: 'Editions' }).click();
  const bring = (text: string) =>
    page.getByLabel('Import a plan').setInputFiles({
      name: 'plan.json',
      mimeType: 'application/json',
      buffer: Buffer.from(text),
    });
  await bring(JSON.stringify({ ...plan, format: 9 }));
  await expect(page.getByRole('dialog').getByRole('alert')).toContainText(
    'its format 9 is newer than 1',
  );
  await bring(JSON.stringify({ ...plan, title: 'Order things' }));
  await expect(page.getByRole('heading', { name: 'Order things' })).toBeVisible();
  await undo(page).click();
  await expect(page.getByRole('heading', { name: plan.title })).toBeVisible();
});

test('? shows the keys, but not while typing', async ({ page }) => {
  await visit(page, '/forms');
  await page.keyboard.press('?');
  await expect(page.getByRole('dialog')).toContainText('undo, redo');
  await page.keyboard.press('Escape');
  await expect(page.getByRole('dialog')).toHaveCount(0);
  await visit(page, '/forms/order_accessories');
  await page.getByLabel('Note').fill('');
  await page.getByLabel('Note').press('?');
  await expect(page.getByRole('dialog')).toHaveCount(0);
});

test('a line moves while its box has the cursor, which stays there', async ({ page }) => {
  await visit(page, '/forms/receive_copies/design');
  await cell(page, 'quantity field').press('Enter');
  const box = page.getByLabel('What is it called?');
  await expect(box).toBeFocused();
  const labels = () =>
    page.locator('[data-cell$=" field"]').evaluateAll((cells) => cells.map((c) => c.textContent));
  const before = await labels();
  const at = before.findIndex((label) => label.includes('Quantity'));
  await page.keyboard.press('Alt+ArrowUp');
  await expect
    .poll(async () => (await labels()).findIndex((l) => l.includes('Quantity')))
    .toBe(at - 1);
  await expect(box).toBeFocused();
  await page.keyboard.press('Alt+ArrowDown');
  await expect.poll(labels).toEqual(before);
  await expect(box).toBeFocused();
});
