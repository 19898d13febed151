import { expect, type Page } from '@playwright/test';
import { cell, choose, fill, test, visit } from './helpers';

const box = (page: Page, name: string) => page.getByRole('combobox', { name, exact: true });
const output = (page: Page, field: string) => page.locator(`#f-${field}`);

/** Counts the reads that a page sends. */
function reads(page: Page): () => number {
  let count = 0;
  page.on('request', (request) => {
    if (request.url().endsWith('/read')) count++;
  });
  return () => {
    const sent = count;
    count = 0;
    return sent;
  };
}

test('D1–D6 a loan brings, computes, rolls up, refuses at the field, and is saved', async ({
  page,
}) => {
  await visit(page, '/forms/lend_music');
  await expect(page.getByLabel('Lent on')).not.toHaveValue('');
  await choose(page, box(page, 'Region'), 'north');
  await choose(page, box(page, 'Town'), 'velden');
  await expect(page.getByLabel('Contact')).toHaveValue('Odile Quist');
  await expect(page.locator('[data-field=ensemble]')).toContainText('Phone 555-01');
  const sent = reads(page);
  await cell(page, 'Score, new line').focus();
  await page.keyboard.type('SC-00007');
  await expect(page.locator('#f-lines-cell-list [role=option]')).toHaveCount(1);
  await page.keyboard.press('Enter');
  await expect(cell(page, 'On hand, line 1')).toHaveText(/^\d+$/);
  const onHand = Number(await cell(page, 'On hand, line 1').textContent());
  expect(onHand).toBeGreaterThan(0);

  await page.waitForTimeout(200);
  sent();
  await page.getByLabel('Weeks').fill('10');
  const rate = Number(await output(page, 'rate').textContent());
  await expect(output(page, 'fee')).toHaveText((rate * 10 * 0.9).toFixed(2));
  await fill(page, 'Copies, line 1', String(onHand + 1));
  await cell(page, 'Copies, line 1').focus();
  await expect(page.locator('[data-grid=lines]')).toContainText(
    `${onHand + 1} asked, ${onHand} on hand`,
  );
  await page.getByLabel('Weeks').fill('14');
  expect(sent(), 'what is worked out needs no request').toBe(0);

  await page.keyboard.press('Control+Enter');
  const problems = page.getByRole('alert');
  await expect(problems).toContainText('3 problems');
  await expect(problems).toContainText('Purpose is missing.');
  await expect(problems).toContainText('Note is missing.');
  await expect(page.getByLabel('Purpose')).toBeFocused();

  await fill(page, 'Copies, line 1', '1');
  await page.getByLabel('Weeks').fill('4');
  await page.getByLabel('Purpose').selectOption('tour');
  await page.getByLabel('Contact').fill('Somebody Else');
  await page.getByRole('button', { name: 'What will be written' }).click();
  await expect(page.getByRole('complementary')).toContainText('1 new copy movement');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText('3 records were written.')).toBeVisible();
  await page.getByRole('button', { name: 'Another one like this' }).click();
  await expect(page.getByLabel('Contact')).toHaveValue('Somebody Else');
  await expect(cell(page, 'On hand, line 1')).toHaveText(String(onHand - 1));
});

test('one change costs one request, whatever follows from it', async ({ page }) => {
  await visit(page, '/forms/lend_music');
  await choose(page, box(page, 'Region'), 'north');
  await choose(page, box(page, 'Town'), 'velden');
  await expect(page.getByLabel('Contact')).toHaveValue('Odile Quist');
  const sent = reads(page);
  await box(page, 'Region').click();
  await box(page, 'Region').fill('south');
  await expect(page.locator('#f-region-list [role=option]')).toHaveText(['South Fells']);
  await page.waitForTimeout(300);
  sent();
  await box(page, 'Region').press('Enter');
  await expect(box(page, 'Town')).toHaveValue('');
  await expect(page.getByLabel('Contact')).toHaveValue('');
  await page.waitForTimeout(300);
  expect(sent()).toBe(1);
});

test('B9 D4 a typed code names the score; an unknown one is said at once', async ({ page }) => {
  await visit(page, '/forms/receive_copies');
  const code = page.getByLabel('Score code');
  await expect(code).toBeFocused();
  await page.keyboard.type('SC-99999');
  await page.keyboard.press('Tab');
  await expect(page.locator('#f-score-note')).toContainText('No score has code “SC-99999”.');
  await expect(code).toHaveValue('SC-99999');
  await expect(page.getByLabel('Quantity')).toHaveValue('1');
  await code.fill('SC-00005');
  await code.press('Enter');
  await expect(page.locator('#f-score-note')).toContainText('SC-00005 · ');
  const before = Number(await output(page, 'on_hand').textContent());
  await page.getByLabel('Quantity').fill('3');
  await expect(output(page, 'on_hand')).toHaveText(String(before + 2));
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText('One record was written.')).toBeVisible();
  await page.getByRole('button', { name: 'Another one', exact: true }).click();
  await expect(code).toBeFocused();
  await expect(code).toHaveValue('');
});

test('D4 a code may come with the link', async ({ page }) => {
  await visit(page, '/forms/receive_copies?code=SC-00003');
  await expect(page.getByLabel('Score code')).toHaveValue('SC-00003');
  await expect(page.locator('#f-score-note')).toContainText('SC-00003 · ');
});

test('B8 D5 damage shows its fields; any column of the instrument can be read', async ({
  page,
}) => {
  await visit(page, '/forms/condition_report');
  await expect(page.getByLabel('Reported by')).toHaveValue('Ottilie Marrable');
  await expect(page.getByLabel('Kind of damage')).toHaveCount(0);
  await choose(page, box(page, 'Instrument'), 'A-00012');
  await expect(page.locator('[data-field=instrument]')).toContainText('Maker ');
  await page.getByLabel('Look up', { exact: true }).selectOption('serial');
  await expect(output(page, 'looked_up')).toHaveText(/^[KMRT]\d+$/);
  await page.getByLabel('Damage found').selectOption('yes');
  await page.getByLabel('Kind of damage').selectOption('dent');
  await page.getByLabel('Repair cost').fill('99999999');
  await expect(page.locator('#f-repair_cost-note')).toContainText('more than the insured value');
  await page.getByLabel('Damage found').selectOption('no');
  await expect(page.getByLabel('Kind of damage')).toHaveCount(0);
  await page.getByLabel('Condition now').selectOption('good');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByText(/ written\.$/)).toBeVisible();
  await page
    .getByRole('link', { name: /A-00012/ })
    .first()
    .click();
  await expect(page.getByText('dent')).toHaveCount(0);
});

test('G7 a designer writes a formula, is told what is wrong, sees its value and why it came', async ({
  page,
}) => {
  await visit(page, '/forms/order_accessories/design');
  const live = page.getByRole('region', { name: 'Live form' });
  const cell = (key: string) => page.locator(`[data-cell="${key}"]`);
  for (const [name, words] of [
    ['Category', 'reeds'],
    ['Article', 'oboe'],
    ['Gauge', 'hard'],
  ] as const) {
    await choose(page, live.getByRole('combobox', { name, exact: true }), words);
  }
  const pack = live.getByRole('combobox', { name: 'Pack', exact: true });
  await pack.click();
  await page.locator('#live-accessory-list [role=option]').first().click();
  await live.getByLabel('Packs').fill('1');
  await expect(live.locator('#live-cost')).not.toHaveText('–');

  await cell('cost source').click();
  const editor = page.getByRole('textbox', { name: 'Computed as' });
  await expect(editor).toHaveText('price * packs');
  await editor.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('price + "x"');
  await expect(page.locator('#computes-cost-said')).toContainText(
    '“price” is a number, “"x"” is a text.',
  );
  await page.keyboard.press('Control+a');
  await page.keyboard.type('accessory.mak');
  await expect(page.getByRole('option', { name: /^maker/ })).toBeVisible();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('price * packs + 10');
  await expect(cell('cost source')).toContainText('= price * packs + 10');
  const price = Number(await live.locator('#live-price').textContent());
  await expect(live.locator('#live-cost')).toHaveText((price + 10).toFixed(2));
  await expect(page.locator('#computes-cost-said')).toHaveText(`now ${(price + 10).toFixed(2)}`);

  await live.getByLabel('Packs').fill('2');
  await expect(live.getByRole('list')).toContainText('Packs became 2');
  await expect(live.getByRole('list')).toContainText(
    `Cost computed: ${(price * 2 + 10).toFixed(2)}`,
  );

  await page.keyboard.press('Escape');
  await cell('packs rules').click();
  await page.getByRole('button', { name: '+ a check' }).click();
  await page.getByRole('button', { name: 'as a formula' }).click();
  await page.getByRole('textbox', { name: 'Must hold' }).click();
  await page.keyboard.type('packs <= accessory.in_stock');
  await expect(cell('packs rules')).toContainText('1 check');
  await page.getByLabel('otherwise say').fill('{packs} wanted, {accessory.in_stock} in stock.');
  await page.getByLabel('otherwise say').press('Tab');
  await live.getByLabel('Packs').fill('5000');
  await expect(live.locator('#live-packs-note')).toContainText('5,000 wanted, ');
  await cell('packs rules').focus();
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await expect(cell('packs rules')).not.toContainText('1 check');
});
