import { expect } from '@playwright/test';
import { choose, test, visit } from './helpers';

test('A1 pasted rows become a table, and more of them are imported later', async ({ page }) => {
  await visit(page, '/tables/new?from=paste');
  await page
    .getByLabel(/^Rows with a line of column names/)
    .fill(
      'Venue\tRegion\tOpened\nGranary\tNorth Marches\t1.4.2019\nOld Mill\tSouth Fells\t13.9.2020',
    );
  await page.getByRole('button', { name: 'Read the rows' }).click();
  await expect(page.getByText('2 rows · separated by tabs')).toBeVisible();
  await expect(page.getByLabel('How dates of Opened of Pasted rows are written')).toHaveValue(
    'dmy',
  );
  await page.getByLabel(/^Title of the table/).fill('Venue');
  await page.getByLabel(/^Title of the table/).press('Tab');
  await expect(page.getByLabel('Type of Region of Venue')).toHaveValue('reference');
  await expect(page.getByLabel('Table that Region of Venue refers to')).toHaveValue('region');
  await expect(page.getByLabel('Venue of Venue is unique')).toBeChecked();
  await page.getByLabel('Draft a form for it').uncheck();
  await page.getByRole('button', { name: 'Import 1 table, 2 rows' }).click();
  await page.waitForURL(/\/tables\/venue$/);
  await expect(page.getByRole('gridcell', { name: 'South Fells' })).toBeVisible();
  await expect(page.getByRole('gridcell', { name: '13 Sept 2020' })).toBeVisible();

  await page.getByRole('link', { name: 'Import rows' }).click();
  await page.getByRole('link', { name: 'From pasted rows' }).click();
  await page
    .getByLabel(/^Rows with a line of column names/)
    .fill('venue,region\nOld Mill,Lowmoor\nHarbour House,Lowmoor');
  await page.getByRole('button', { name: 'Read the rows' }).click();
  await page.getByRole('button', { name: 'Import 2 rows' }).click();
  await expect(page.getByText('“Old Mill” is in the table already.')).toBeVisible();
  // It is put right where it is told, and all rows come in.
  await page.getByLabel('Venue on line 2 of Venue').fill('New Mill');
  await page.getByRole('button', { name: 'Import 2 rows' }).click();
  await expect(page.getByText('4 shown of 4')).toBeVisible();
  await expect(page.getByRole('gridcell', { name: 'Venue, 3: New Mill' })).toBeVisible();
});

test('A1 a bad file is refused with a sentence, and nothing is made', async ({ page }) => {
  await visit(page, '/tables/new');
  for (const [name, bytes, sentence] of [
    ['empty', Buffer.from(''), 'The file has no bytes.'],
    ['header', Buffer.from('a,b\n'), 'The file has column names, but no rows.'],
    ['twice', Buffer.from('a,A\n1,2\n'), 'Two columns are named “A” (columns 1 and 2).'],
    ['latin', Buffer.from([0x61, 0x0a, 0xfc, 0x0a]), 'The file is not UTF-8 text (near line 2).'],
  ] as const) {
    const file = { name: `${name}.csv`, mimeType: 'text/csv', buffer: bytes };
    await page.getByLabel('CSV files or spreadsheets').setInputFiles(file);
    await expect(page.getByRole('alert')).toContainText(sentence);
    await expect(page.getByRole('button', { name: /^Import/ })).toHaveCount(0);
  }
});

test('A3 the display columns say how every lookup shows a record', async ({ page }) => {
  await visit(page, '/tables/instrument_type/columns');
  await page.getByLabel('Family shows the record').check();
  await expect(page.getByText('shown as name, family')).toBeVisible();
  await page.getByLabel('Label of family').fill('Kin');
  await page.getByLabel('Label of family').press('Tab');
  await expect(page.getByText('shown as name, kin')).toBeVisible();
  await visit(page, '/tables/instrument');
  await expect(
    page.getByRole('gridcell', { name: / · (Strings|Woodwind|Brass)$/ }).first(),
  ).toBeVisible();
  await page.getByLabel('Search Instrument').fill('A-00007');
  await page.getByLabel('Search Instrument').press('Enter');
  await expect(page.getByText('1 shown of 1')).toBeVisible();
});

test('a record is added with its reference, refused first, then found by Go to', async ({
  page,
}) => {
  await visit(page, '/');
  await page.keyboard.press('Control+k');
  await page.getByRole('combobox', { name: 'where to go' }).fill('ensemble table');
  await expect(page.getByRole('option').first()).toContainText('Ensemble');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Ensemble' })).toBeVisible();
  await page.getByRole('button', { name: 'Add a record' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Name').fill('Velden Bell Ringers');
  await choose(page, dialog.locator('#add-town'), 'velden');
  await dialog.getByLabel('E-mail').fill('ring');
  await expect(dialog).toContainText('“ring” is not an e-mail address.');
  await dialog.getByLabel('E-mail').fill('ring@bells.example.org');
  await dialog.getByRole('button', { name: 'Add the record' }).click();
  await expect(dialog).toContainText('Member code is missing.');
  await dialog.getByLabel('Member code').fill('VBR-900');
  await dialog.getByLabel('Weekly rate').fill('0.5');
  await dialog.getByRole('button', { name: 'Add the record' }).click();
  await expect(dialog).toHaveCount(0);
  await page.getByLabel('Search Ensemble').fill('bell');
  await page.getByLabel('Search Ensemble').press('Enter');
  await expect(page.getByRole('gridcell', { name: 'VBR-900' })).toBeVisible();
});

test('A7 a table in use is not removed, and says by what it is used', async ({ page }) => {
  await visit(page, '/tables/town/used');
  await expect(page.getByRole('row', { name: /Form Lend music Town \(comes from/ })).toBeVisible();
  await expect(
    page.getByRole('row', { name: /Table Ensemble refers to it with Town/ }),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Remove the table' }).click();
  await page.getByRole('button', { name: 'Remove it' }).click();
  await expect(page.getByRole('alert')).toContainText(
    /Town is in use by Ensemble \(Town\).+form Ensemble \(Town: comes from\).+form Lend music \(Town: comes from\)/,
  );
});

test('two designers on one draft: the second is told, and nothing is overwritten', async ({
  page,
  context,
}) => {
  await visit(page, '/forms/lend_music/design');
  const other = await context.newPage();
  await visit(other, '/forms/lend_music/design');
  const rename = async (tab: typeof page, label: string) => {
    await tab.locator('[data-cell="weeks field"]').click();
    await tab.getByLabel('What is it called?').fill(label);
    await tab.getByLabel('What is it called?').press('Tab');
    await tab.keyboard.press('Escape');
  };
  const weeks = (tab: typeof page) => tab.locator('[data-cell="weeks field"]');
  await rename(page, 'How many weeks');
  // The other one sees it without asking.
  await expect(other.getByText('changed this draft in another window')).toBeVisible();
  await expect(weeks(other)).toContainText('How many weeks');
  // Two changes at the same moment: the second waits until its person has decided.
  await other.route('**/draft?known=*', (route) => route.abort());
  await rename(page, 'For weeks');
  await expect(page.getByText('kept', { exact: true })).toBeVisible();
  await rename(other, 'Duration');
  await expect(other.getByText('Someone else changed this draft in the meantime.')).toBeVisible();
  await other.unroute('**/draft?known=*');
  await other.getByRole('button', { name: 'Use theirs' }).click();
  await expect(weeks(other)).toContainText('For weeks');
  await rename(other, 'Weeks');
  await expect(weeks(page)).toContainText('Weeks');
});
