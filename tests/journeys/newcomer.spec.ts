import { expect, type Page } from '@playwright/test';
import { choose, test, visit } from './helpers';

const districts =
  'Name,Opened\nUpper Marsh,2019-04-01\nLower Marsh,2020-09-15\nHigh Moor,2021-01-10\n';
const halls =
  'Hall,District,Seats\nGranary,Upper Marsh,120\nOld Mill,Upper Marsh,80\nHarbour House,Lower Marsh,260\n';

async function bring(page: Page, title: string, text: string): Promise<void> {
  await visit(page, '/tables/new');
  const buffer = Buffer.from(text);
  await page
    .getByLabel('CSV files or spreadsheets')
    .setInputFiles({ name: `${title}.csv`, mimeType: 'text/csv', buffer });
  await expect(page.getByLabel(`Title of the table from ${title}.csv`)).toHaveValue(title);
  await page.getByLabel('Draft a form for it').uncheck();
}

test('a newcomer brings in two files, wires a form, is refused once, saves and finds the record', async ({
  page,
}) => {
  await bring(page, 'District', districts);
  await expect(page.getByLabel('Type of Opened of District')).toHaveValue('date');
  await expect(page.getByLabel('Name of District is unique')).toBeChecked();
  await page.getByRole('button', { name: 'Import 1 table, 3 rows' }).click();
  await expect(page.getByRole('heading', { name: 'District' })).toBeVisible();
  await expect(page.getByRole('gridcell', { name: 'Lower Marsh' })).toBeVisible();

  await bring(page, 'Hall', `${halls}Lost,Nowhere,5\n`);
  await expect(page.getByLabel('Type of Seats of Hall')).toHaveValue('whole');
  // Two of three names are districts: a link is proposed, and taken by one click.
  await page.getByRole('button', { name: 'Refer to District' }).click();
  await expect(page.getByLabel('Column that District of Hall is matched by')).toHaveValue('name');
  await page.getByRole('button', { name: 'Check the rows' }).click();
  const rejected = page.getByRole('table', { name: 'Rejected rows' });
  await expect(rejected).toContainText('No district has name “Nowhere”.');
  await page.getByRole('button', { name: 'Import the 3 good rows' }).click();
  await expect(page.getByRole('gridcell', { name: 'Upper Marsh' }).first()).toBeVisible();

  await visit(page, '/tables/new?from=hand');
  await page.getByLabel('Title of the table').fill('Booking');
  await page.getByLabel('Name of column 1').fill('Hall');
  await page.getByLabel('Type of Hall').selectOption('reference');
  await page.getByLabel('Table that Hall refers to').selectOption({ label: 'Hall' });
  await page.getByRole('button', { name: '+ a column' }).click();
  await page.getByLabel('Name of column 2').fill('Day');
  await page.getByLabel('Type of Day').selectOption('date');
  await page.getByRole('button', { name: 'Make the table' }).click();
  await expect(page.getByText('Booking has no records yet.')).toBeVisible();

  await page.getByRole('button', { name: 'Draft a form' }).click();
  await page.getByRole('button', { name: 'Draft the form' }).click();
  await expect(page.getByRole('group', { name: 'Plan sheet' })).toBeVisible();
  await expect(page.getByRole('dialog')).toHaveCount(0);
  await page.waitForLoadState('networkidle');

  // A lookup of districts, moved to the top, narrows the halls.
  await page.getByLabel('Add a field').fill('District');
  await page.getByLabel('Add a field').press('Enter');
  const line = page.locator('[data-cell="district field"]');
  await line.focus();
  await line.press('Alt+ArrowUp');
  await page.locator('[data-cell="district field"]').press('Alt+ArrowUp');
  await page.getByRole('button', { name: /^Narrowed by of Hall/ }).click();
  await page.getByRole('button', { name: '+ narrow by a field' }).click();
  await expect(page.getByLabel('Column that is compared')).toHaveValue('district');
  await expect(page.getByRole('button', { name: 'Narrowed by of Hall: District' })).toBeVisible();

  // The live form already works, on real data.
  const live = page.getByRole('region', { name: 'Live form' });
  await expect(live.getByLabel('Hall', { exact: true }).last()).toHaveAttribute(
    'placeholder',
    'choose District first',
  );
  await choose(page, live.getByRole('combobox', { name: 'District' }), 'upper');
  await expect(live.getByText('2 offered', { exact: true })).toBeVisible();
  await expect(live).toContainText('District became Upper Marsh');

  await page.getByRole('button', { name: 'Publish edition 1' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Publish edition 1' }).click();
  await expect(page.getByText('Edition 1 is published.')).toBeVisible();
  await page.getByRole('link', { name: 'Fill it in' }).click();
  await page.waitForURL(/\/forms\/booking$/);

  // Refused once, with a reason at its field.
  await expect(page.getByRole('heading', { name: 'Booking' })).toBeVisible();
  await expect(page.getByRole('combobox', { name: 'District' })).toBeFocused();
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('alert')).toContainText('Hall is missing.');
  await expect(page.getByRole('combobox', { name: 'Hall' })).toBeFocused();

  await choose(page, page.getByRole('combobox', { name: 'District' }), 'upper');
  await choose(page, page.getByRole('combobox', { name: 'Hall' }), 'old');
  await page.getByLabel('Day').fill('2027-03-01');
  await page.getByRole('button', { name: /Save record/ }).click();
  await expect(page.getByText('One record was written.')).toBeVisible();
  await page.getByRole('link', { name: 'Open it' }).click();
  await expect(page.getByRole('link', { name: 'Old Mill' })).toBeVisible();
  await expect(page.getByText('1 Mar 2027').first()).toBeVisible();
  await page.getByRole('link', { name: 'Records' }).click();
  await expect(page.getByRole('gridcell', { name: 'Old Mill' })).toBeVisible();
});
