import { expect, type Page } from '@playwright/test';
import { cell, choose, fill, test, visit } from './helpers';

const box = (page: Page, name: string) => page.getByRole('combobox', { name, exact: true });

/** Pastes a text as a spreadsheet's clipboard gives it, where the cursor is. */
async function paste(page: Page, text: string): Promise<void> {
  await page.evaluate((given) => {
    const data = new DataTransfer();
    data.setData('text/plain', given);
    const init = { clipboardData: data, bubbles: true, cancelable: true };
    document.activeElement?.dispatchEvent(new ClipboardEvent('paste', init));
  }, text);
}

async function lend(page: Page): Promise<void> {
  await visit(page, '/forms/lend_music');
  await choose(page, box(page, 'Region'), 'north');
  await choose(page, box(page, 'Town'), 'velden');
  await page.getByLabel('Purpose').selectOption('concert');
}

test('E1–E3 a pasted block becomes lines; what names no record is marked; all is saved as one', async ({
  page,
}) => {
  await lend(page);
  await cell(page, 'Score, new line').focus();
  const requests: string[] = [];
  page.on('request', (r) => r.url().endsWith('/read') && requests.push(r.url()));
  await paste(page, 'SC-00021\t\t\t1\tlost\tbeside\nSC-00022\t\t\t1\nSC-99999\t\t\tmany\n');
  await expect(page.getByText('3 lines pasted; 1 cell did not fit into the columns')).toBeVisible();
  await expect(cell(page, 'Score, line 2')).toHaveText(/^SC-00022 · /);
  await expect(cell(page, 'On hand, line 2')).toHaveText(/^\d+$/);
  expect(requests).toHaveLength(1);
  await expect(cell(page, 'Score, line 3')).toHaveAttribute('aria-invalid', 'true');
  await expect(cell(page, 'Copies, line 3')).toHaveText('many');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('alert')).toContainText(
    'Lines, line 3: No score has code, title or composer “SC-99999”.',
  );
  await expect(cell(page, 'Score, line 3')).toBeFocused();
  await page.keyboard.press('Control+Delete');
  await expect(page.getByText('2 lines', { exact: true })).toBeVisible();
  const fees = await Promise.all(
    [1, 2].map(async (n) => Number(await cell(page, `Fee, line ${n}`).textContent())),
  );
  await expect(page.locator('#f-fee')).toHaveText(((fees[0] ?? 0) + (fees[1] ?? 0)).toFixed(2));
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText('5 records were written.')).toBeVisible();
});

test('E2 lines are copied, moved, filled down, emptied, removed and put back by keys alone', async ({
  page,
}) => {
  await lend(page);
  await cell(page, 'Score, new line').focus();
  await paste(page, 'SC-00031\t\t\t3\nSC-00032\t\t\t4\nSC-00033\t\t\t5\n');
  await expect(cell(page, 'Score, line 3')).toHaveText(/^SC-00033/);
  const copies = () =>
    page
      .getByRole('gridcell', { name: /^Copies, line/ })
      .allTextContents()
      .then((all) => all.join(' '));
  await cell(page, 'Copies, line 1').focus();
  await page.keyboard.press('Alt+ArrowDown');
  expect(await copies()).toBe('4 3 5');
  await expect(cell(page, 'Copies, line 2')).toBeFocused();
  await page.keyboard.press('Control+d');
  expect(await copies()).toBe('4 3 3 5');
  await expect(cell(page, 'Score, line 3')).toHaveText(/^SC-00031 · /);
  await page.keyboard.press('Control+Home');
  await cell(page, 'Copies, line 1').focus();
  await page.keyboard.press('Shift+ArrowDown');
  await page.keyboard.press('Shift+ArrowDown');
  await page.keyboard.press('Control+Shift+D');
  expect(await copies()).toBe('4 4 4 5');
  await page.keyboard.press('Delete');
  expect(await copies()).toBe('   5');
  // Lines that are chosen go together, and come back together.
  await page.keyboard.press('Control+Delete');
  await expect(page.getByText('1 line', { exact: true })).toBeVisible();
  await expect(page.getByText('3 lines removed.')).toBeVisible();
  await page.getByRole('button', { name: 'Restore them' }).click();
  await expect(page.getByText('4 lines', { exact: true })).toBeVisible();
  expect(await copies()).toBe('   5');
  await cell(page, 'Copies, line 2').focus();
  await page.keyboard.press('Control+Delete');
  await expect(page.getByText('3 lines', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Restore line' }).click();
  await expect(page.getByText('4 lines', { exact: true })).toBeVisible();
  await fill(page, 'Copies, line 1', '2');
  await cell(page, 'Copies, line 1').focus();
  await page.keyboard.press('F2');
  await page.keyboard.type('77');
  await page.keyboard.press('Escape');
  expect((await copies()).startsWith('2 ')).toBe(true);
});

test('two thousand lines stay fluid: only those in sight stand in the page', async ({ page }) => {
  await lend(page);
  await cell(page, 'Score, new line').focus();
  const lines = Array.from(
    { length: 2000 },
    (_, i) => `SC-${String((i % 2900) + 1).padStart(5, '0')}\t\t\t1`,
  );
  let reads = 0;
  page.on('request', (request) => {
    if (request.url().endsWith('/lend_music/read')) reads++;
  });
  await paste(page, lines.join('\n'));
  await expect(page.getByText('2,000 lines', { exact: true })).toBeVisible();
  await expect(cell(page, 'Score, line 1')).toHaveText(/^SC-00001 · /, { timeout: 20_000 });
  // A lookup and two rollups for each of them, in one request.
  expect(reads).toBe(1);
  expect(await page.getByRole('row').count()).toBeLessThan(60);
  await expect(cell(page, 'Score, line 1')).toBeFocused();
  await page.keyboard.press('Control+End');
  await expect(cell(page, 'Fee, new line')).toBeFocused();
  await page.keyboard.press('Control+Home');
  await expect(cell(page, 'Score, line 1')).toBeFocused();
});

test('F5 lines survive a reload with what could not be read', async ({ page }) => {
  await lend(page);
  await cell(page, 'Score, new line').focus();
  await paste(page, 'SC-00041\t\t\t2\nSC-00042\t\t\tx\n');
  await expect(cell(page, 'Score, line 2')).toHaveText(/^SC-00042/);
  await page.waitForTimeout(700);
  await page.reload({ waitUntil: 'networkidle' });
  await expect(cell(page, 'Score, line 1')).toHaveText(/^SC-00041 · /);
  await expect(cell(page, 'Copies, line 1')).toHaveText('2');
  await expect(cell(page, 'Copies, line 2')).toHaveText('x');
});
